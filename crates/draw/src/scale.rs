//! Axes: where values stand, and round ticks.

/// An axis of values.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Scale {
    from: f64,
    to: f64,
    log: bool,
    /// Only whole numbers stand on it.
    whole: bool,
}

impl Scale {
    /// An axis from zero to a round value that is no smaller than the largest, with at most about so many ticks.
    #[must_use]
    pub fn from_zero(largest: f64, ticks: usize) -> Self {
        let step = step_of(largest, ticks);
        let to = if largest > 0.0 { (largest / step).ceil() * step } else { 1.0 };
        Self { from: 0.0, to, log: false, whole: false }
    }

    /// The same of counts, which are whole numbers.
    #[must_use]
    pub fn of_counts(largest: u64, ticks: usize) -> Self {
        #[expect(clippy::cast_precision_loss, reason = "a height on paper")]
        let largest = largest as f64;
        let step = step_of(largest, ticks).max(1.0);
        let to = if largest > 0.0 { (largest / step).ceil() * step } else { 1.0 };
        Self { from: 0.0, to, log: false, whole: true }
    }

    /// An axis between two values: logarithmic where the larger is many times the smaller, unless it is said which.
    #[must_use]
    pub fn between(smallest: f64, largest: f64, log: Option<bool>) -> Self {
        // Smaller than this, a value has no logarithm worth a place.
        let above = smallest > 1e-200;
        let log = log.unwrap_or(above && largest / smallest >= 50.0) && above;
        let to = if largest > smallest { largest } else { smallest + smallest.abs().max(1.0) };
        if log {
            return Self { from: smallest, to, log, whole: false };
        }
        let from = if smallest >= 0.0 && smallest < to / 2.0 { 0.0 } else { smallest };
        Self { from, to, log, whole: false }
    }

    /// Where a value stands, from 0 to 1.
    #[must_use]
    pub fn place(&self, value: f64) -> f64 {
        let at = |value: f64| if self.log { value.max(f64::MIN_POSITIVE).ln() } else { value };
        let (low, high) = (at(self.from), at(self.to));
        let place = (at(value) - low) / (high - low);
        if place.is_finite() { place.clamp(0.0, 1.0) } else { 0.0 }
    }

    /// The value that stands at a place from 0 to 1.
    #[must_use]
    pub fn value(&self, place: f64) -> f64 {
        match self.log {
            true => (self.from.ln() + place * (self.to.ln() - self.from.ln())).exp(),
            false => self.from + place * (self.to - self.from),
        }
    }

    /// Whether it is logarithmic.
    #[must_use]
    pub fn is_log(&self) -> bool {
        self.log
    }

    /// The ends.
    #[must_use]
    pub fn ends(&self) -> (f64, f64) {
        (self.from, self.to)
    }

    /// Round values on the axis, at most about so many.
    #[must_use]
    pub fn ticks(&self, most: usize) -> Vec<f64> {
        let most = most.max(1);
        if !self.log {
            let step = step_of(self.to - self.from, most);
            let step = if self.whole { step.max(1.0) } else { step };
            let mut ticks = Vec::new();
            let mut tick = (self.from / step).ceil() * step;
            while tick <= self.to + step * 1e-9 && ticks.len() < 100 {
                ticks.push(if tick.abs() < step * 1e-9 { 0.0 } else { tick });
                tick += step;
            }
            return ticks;
        }
        let inside = |value: &f64| *value >= self.from * 0.999_999 && *value <= self.to * 1.000_001;
        #[expect(clippy::cast_possible_truncation, reason = "exponents of ten")]
        let (low, high) = (self.from.log10().floor() as i32, self.to.log10().ceil() as i32);
        for factors in [&[1.0, 2.0, 5.0][..], &[1.0, 3.0], &[1.0]] {
            let ticks: Vec<f64> = (low..=high)
                .flat_map(|ten| factors.iter().map(move |factor| factor * 10f64.powi(ten)))
                .filter(inside)
                .collect();
            if ticks.len() <= most || factors.len() == 1 {
                let each = ticks.len().div_ceil(most).max(1);
                return ticks.into_iter().step_by(each).collect();
            }
        }
        Vec::new()
    }
}

/// The next of 1, 2, 5, 10, … times a power of ten that needs no more than so many steps.
fn step_of(length: f64, steps: usize) -> f64 {
    #[expect(clippy::cast_precision_loss, reason = "a few ticks")]
    let least = length / steps.max(1) as f64;
    if !(least.is_finite() && least > 0.0) {
        return 1.0;
    }
    let ten = 10f64.powf(least.log10().floor());
    [1.0, 2.0, 5.0, 10.0]
        .into_iter()
        .map(|factor| factor * ten)
        .find(|step| *step >= least * 0.999_999)
        .unwrap_or(ten * 10.0)
}

#[cfg(test)]
mod tests {
    use proptest::prelude::*;

    use super::*;

    #[test]
    fn ticks_are_round() {
        let close = |got: Vec<f64>, want: &[f64]| {
            assert!(
                got.len() == want.len()
                    && got.iter().zip(want).all(|(a, b)| (a - b).abs() <= b.abs() * 1e-9),
                "{got:?}"
            );
        };
        close(Scale::from_zero(137.0, 4).ticks(4), &[0.0, 50.0, 100.0, 150.0]);
        close(Scale::of_counts(2, 6).ticks(6), &[0.0, 1.0, 2.0]);
        close(Scale::of_counts(0, 6).ticks(6), &[0.0, 1.0]);
        close(Scale::of_counts(137, 4).ticks(4), &[0.0, 50.0, 100.0, 150.0]);
        close(Scale::from_zero(0.37, 4).ticks(4), &[0.0, 0.1, 0.2, 0.3, 0.4]);
        close(Scale::between(0.004, 8.2, None).ticks(4), &[0.01, 0.1, 1.0]);
        close(Scale::between(1.0, 90.0, Some(true)).ticks(9), &[1.0, 2.0, 5.0, 10.0, 20.0, 50.0]);
        close(
            Scale::between(3.0, 3.0, None).ticks(3),
            &[3.0, 4.0, 5.0, 6.0][..Scale::between(3.0, 3.0, None).ticks(3).len()],
        );
    }

    proptest! {
        #[test]
        fn places_and_values_are_inverse(from in 1e-6f64..1e3, more in 1.1f64..1e6, place in 0.0f64..1.0, log in any::<bool>()) {
            let scale = Scale::between(from, from * more, Some(log));
            let value = scale.value(place);
            prop_assert!((scale.place(value) - place).abs() < 1e-6);
            let ticks = scale.ticks(6);
            prop_assert!(ticks.windows(2).all(|pair| pair[0] < pair[1]) && ticks.len() <= 8);
        }

        #[test]
        fn any_ends_give_an_axis(from in any::<f64>(), to in any::<f64>(), log in any::<Option<bool>>()) {
            prop_assume!(from.is_finite() && to.is_finite() && from.abs() < 1e300 && to.abs() < 1e300);
            let scale = Scale::between(from, to, log);
            prop_assert!((0.0..=1.0).contains(&scale.place(from)));
            prop_assert!(scale.ticks(5).len() <= 100);
        }
    }
}
