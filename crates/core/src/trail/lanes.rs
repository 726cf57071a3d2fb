//! Lanes: what the steps of a trail are told apart by.

use super::Step;
use crate::{
    engine::{Shown, Snapshot},
    veil::{Audience, CleanField, CleanValue, Text},
};

/// What steps are put into lanes by.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash)]
pub enum LaneBy {
    /// The source.
    Source,
    /// The service that says its name.
    Service,
    /// The container or the pod.
    Container,
    /// The host.
    Host,
}

impl LaneBy {
    /// All of them, those that tell more first.
    pub const ALL: [Self; 4] = [Self::Service, Self::Source, Self::Container, Self::Host];

    /// The word for it.
    #[must_use]
    pub fn name(self) -> &'static str {
        match self {
            Self::Source => "source",
            Self::Service => "service",
            Self::Container => "container",
            Self::Host => "host",
        }
    }

    /// The dotted names of fields that say it, the surest first.
    fn fields(self) -> &'static [&'static str] {
        match self {
            Self::Source => &[],
            Self::Service => &[
                "service.name",
                "resource.service.name",
                "service",
                "service_name",
                "serviceName",
                "app",
                "app_name",
                "application",
                "program",
                "fields.service",
            ],
            Self::Container => &[
                "container.name",
                "container_name",
                "container",
                "kubernetes.container_name",
                "kubernetes.pod_name",
                "k8s.pod.name",
                "resource.k8s.pod.name",
                "pod",
                "pod_name",
            ],
            Self::Host => {
                &["host.name", "hostname", "host", "resource.host.name", "node", "instance"]
            }
        }
    }
}

/// One lane.
#[derive(Clone, Debug)]
pub struct Lane<A: Audience> {
    /// Its name.
    pub name: Text<'static, A>,
    /// The number of the source that its first step is from.
    pub source: usize,
}

/// What tells the steps apart best: services, where some say their names; else sources; else containers or hosts,
/// where there is only one source. More lanes than fit a screen tell nothing apart.
pub(super) fn best<A: Audience>(steps: &[Step<A>]) -> LaneBy {
    let lanes = |by: LaneBy| {
        let mut names: Vec<(Option<String>, usize)> = Vec::new();
        for step in steps {
            let name = name_in(&step.entry, by).map(|name| name.as_str().to_owned());
            let source = if name.is_some() { 0 } else { step.entry.source };
            if !names.contains(&(name.clone(), source)) {
                names.push((name, source));
            }
        }
        names.len()
    };
    let fits = |by: &LaneBy| (2..=12).contains(&lanes(*by));
    let named = steps.iter().any(|step| name_in(&step.entry, LaneBy::Service).is_some());
    let services = Some(LaneBy::Service).filter(|by| named && fits(by));
    let others = [LaneBy::Source, LaneBy::Container, LaneBy::Host];
    services.or_else(|| others.into_iter().find(fits)).unwrap_or(LaneBy::Source)
}

/// Puts the steps into lanes, in the order in which they come in.
pub(super) fn arrange<A: Audience>(
    snapshot: &Snapshot,
    steps: &mut [Step<A>],
    by: LaneBy,
) -> Vec<Lane<A>> {
    let mut lanes: Vec<Lane<A>> = Vec::new();
    for step in steps {
        let source = step.entry.source;
        let name = name_in(&step.entry, by).unwrap_or_else(|| {
            let label = snapshot.sources.get(source).map_or("", |source| source.label.as_str());
            snapshot.veil.typed(label)
        });
        let same = |lane: &Lane<A>| {
            lane.name.as_str() == name.as_str() && (by != LaneBy::Source || lane.source == source)
        };
        step.lane = lanes.iter().position(same).unwrap_or_else(|| {
            lanes.push(Lane { name, source });
            lanes.len() - 1
        });
    }
    lanes
}

/// What an entry says of its service, its container or its host.
fn name_in<A: Audience>(entry: &Shown<A>, by: LaneBy) -> Option<Text<'static, A>> {
    by.fields().iter().find_map(|path| text_at(&entry.fields, path))
}

fn text_at<A: Audience>(fields: &[CleanField<A>], path: &str) -> Option<Text<'static, A>> {
    for field in fields {
        let name = field.name.as_str();
        match &field.value {
            CleanValue::Text(text) if name == path && !text.as_str().is_empty() => {
                return Some(text.clone());
            }
            CleanValue::Map(children) => {
                let rest = path.strip_prefix(name).and_then(|rest| rest.strip_prefix('.'));
                if let Some(found) = rest.and_then(|rest| text_at(children, rest)) {
                    return Some(found);
                }
            }
            _ => {}
        }
    }
    None
}
