//! Two trails side by side: which of their steps are the same.

use super::Trail;
use crate::veil::Audience;

/// Steps of two trails that say the same but for their variable parts, or one that only one of them has.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct Pair {
    /// The number of the step in the first trail.
    pub first: Option<usize>,
    /// The number of the step in the second.
    pub second: Option<usize>,
}

/// Steps beyond these are not compared one by one.
const MOST: usize = 2_000;

/// Lays two trails side by side: the longest row of steps that both have in the same order, and what stands
/// between. Steps beyond the 2 000th are left unpaired.
#[must_use]
pub fn align<A: Audience>(first: &Trail<A>, second: &Trail<A>) -> Vec<Pair> {
    let kinds = |trail: &Trail<A>| -> Vec<(usize, u64)> {
        trail.steps.iter().map(|step| (step.entry.source, step.entry.template)).collect()
    };
    paired(&kinds(first), &kinds(second))
}

fn paired<K: PartialEq>(first: &[K], second: &[K]) -> Vec<Pair> {
    let (rows, columns) = (first.len().min(MOST), second.len().min(MOST));
    // The lengths of the longest common rows of what is left of both.
    let width = columns + 1;
    let mut longest = vec![0u16; (rows + 1) * width];
    for row in (0..rows).rev() {
        for column in (0..columns).rev() {
            longest[row * width + column] = match first[row] == second[column] {
                true => 1 + longest[(row + 1) * width + column + 1],
                false => longest[(row + 1) * width + column].max(longest[row * width + column + 1]),
            };
        }
    }
    let mut pairs = Vec::new();
    let (mut row, mut column) = (0, 0);
    while row < first.len() || column < second.len() {
        let both = row < rows && column < columns;
        let pair = if both && first[row] == second[column] {
            Pair { first: Some(row), second: Some(column) }
        } else if column >= second.len()
            || both && longest[(row + 1) * width + column] >= longest[row * width + column + 1]
            || !both && row < first.len()
        {
            Pair { first: Some(row), second: None }
        } else {
            Pair { first: None, second: Some(column) }
        };
        row += usize::from(pair.first.is_some());
        column += usize::from(pair.second.is_some());
        pairs.push(pair);
    }
    pairs
}

#[cfg(test)]
mod tests {
    use proptest::prelude::*;

    use super::*;

    #[test]
    fn what_only_one_has_stands_alone() {
        let sides = |first: &str, second: &str| {
            let pairs = paired(first.as_bytes(), second.as_bytes());
            let side = |at: Option<usize>, of: &str| at.map_or('.', |at| of.as_bytes()[at].into());
            let left: String = pairs.iter().map(|pair| side(pair.first, first)).collect();
            let right: String = pairs.iter().map(|pair| side(pair.second, second)).collect();
            (left, right)
        };
        let want = |left: &str, right: &str| (left.to_owned(), right.to_owned());
        assert_eq!(sides("abcd", "abxd"), want("abc.d", "ab.xd"));
        assert_eq!(sides("ab", ""), want("ab", ".."));
        assert_eq!(sides("", "ab"), want("..", "ab"));
    }

    proptest! {
        #[test]
        fn every_step_stands_once_and_in_its_order(first in "[a-d]{0,12}", second in "[a-d]{0,12}") {
            let pairs = paired(first.as_bytes(), second.as_bytes());
            let firsts: Vec<usize> = pairs.iter().filter_map(|pair| pair.first).collect();
            let seconds: Vec<usize> = pairs.iter().filter_map(|pair| pair.second).collect();
            prop_assert_eq!(firsts, (0..first.len()).collect::<Vec<_>>());
            prop_assert_eq!(seconds, (0..second.len()).collect::<Vec<_>>());
            for pair in &pairs {
                if let (Some(left), Some(right)) = (pair.first, pair.second) {
                    prop_assert_eq!(first.as_bytes()[left], second.as_bytes()[right]);
                }
            }
        }
    }
}
