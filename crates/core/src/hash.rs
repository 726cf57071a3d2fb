//! Fast hashes for maps of texts that stand in logs. Their seed is drawn anew by every process, so that no log can be
//! written to make many texts collide.

use std::{
    hash::{BuildHasher, Hash},
    sync::LazyLock,
};

/// A map with such hashes.
pub(crate) type Map<K, V> = std::collections::HashMap<K, V, foldhash::quality::RandomState>;
/// A set with such hashes.
pub(crate) type Set<K> = std::collections::HashSet<K, foldhash::quality::RandomState>;

/// 64 bits that stand for a value, for as long as the process runs: of a million different ones two share theirs with a
/// probability of one in forty million.
pub(crate) fn of(value: impl Hash) -> u64 {
    static STATE: LazyLock<foldhash::quality::RandomState> = LazyLock::new(Default::default);
    STATE.hash_one(value)
}
