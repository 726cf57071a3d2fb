//! Bits and rows against the plain way of doing the same.

use std::sync::Arc;

use proptest::prelude::*;

use super::*;
use crate::{
    entry::Level,
    layout::{Dialect, LayoutId},
    source::{Segment, SourceId},
};

#[test]
fn a_block_is_counted_and_its_records_are_shared() {
    let mut columns = Columns::default();
    let json = LayoutId::named("json").unwrap();
    let wrapped = Flags { wrapped: true, ..Flags::default() };
    let severity = |word: &[u8]| crate::entry::Severity::from_word(word);
    columns.push(0, Ok(20), json, severity(b"info"), Flags::default());
    let within = Flags { within: true, ..Flags::default() };
    columns.push(0, Ok(10), json, severity(b"warn"), within);
    columns.push(0, Err(NO_TIME), json, None, within);
    columns.push(40, Err(20), LayoutId::PLAIN, None, wrapped);
    let census = columns.census();
    assert_eq!(census.layouts().collect::<Vec<_>>(), [(json, 3), (LayoutId::PLAIN, 1)]);
    assert_eq!((census.levels, census.unlevelled), ([0, 0, 1, 1, 0, 0], 2));
    assert_eq!(census.span, Some((10, 20)));
    columns.set_layout(3, json);
    columns.set_time(3, 30);
    columns.set_severity(3, severity(b"error").unwrap());
    let empty = block(0, &[]);
    let block = Block {
        source: empty.source,
        segment: Arc::clone(&empty.segment),
        file: None,
        number: 0,
        dialect: Arc::clone(&empty.dialect),
        offset: 0,
        len: 60,
        first_line: 1,
        piece: 0,
        growing: false,
        place: 0,
        columns,
        life: 0,
        edition: 0,
        usual: std::sync::OnceLock::new(),
        unlevelled: std::sync::OnceLock::new(),
        clear: Default::default(),
        ids: std::sync::OnceLock::new(),
        hints: std::sync::OnceLock::new(),
    };
    assert_eq!((block.layout(3), block.time(3), block.time_derived(3)), (json, 30, false));
    assert!(block.wrapped(3) && !block.wrapped(2));
    let parts: Vec<_> =
        (0..4).map(|index| (block.part_of_line(index, (0, 0)), block.beside(index))).collect();
    assert_eq!(parts, [(0, 0..3), (1, 0..3), (2, 0..3), (0, 3..4)]);
    let records: Vec<_> = (0..4).map(|i| block.records(i).next().unwrap()).collect();
    assert_eq!(records, [0..40, 0..40, 0..40, 40..60]);
    assert_eq!(block.entry_at(50), Some(3));
}

#[test]
fn an_entry_costs_few_bytes() {
    assert_eq!(size_of::<EntryId>(), 4);
    let id = EntryId::new(65_000, 65_535);
    assert_eq!((id.block(), id.index()), (65_000, 65_535));
}

fn block(source: u16, times: &[i64]) -> Arc<Block> {
    let mut columns = Columns::default();
    for (at, time) in times.iter().enumerate() {
        columns.push(
            u32::try_from(at).unwrap(),
            Ok(*time),
            LayoutId::PLAIN,
            None,
            Flags::default(),
        );
    }
    Arc::new(Block {
        source: SourceId(source),
        segment: Arc::new(Segment::unnamed(tempfile::tempfile().unwrap())),
        file: None,
        number: 0,
        dialect: Arc::new(Dialect::default()),
        offset: 0,
        len: times.len() as u64,
        first_line: 1,
        piece: 0,
        growing: false,
        place: 0,
        columns,
        life: 0,
        edition: 0,
        usual: std::sync::OnceLock::new(),
        unlevelled: std::sync::OnceLock::new(),
        clear: Default::default(),
        ids: std::sync::OnceLock::new(),
        hints: std::sync::OnceLock::new(),
    })
}

#[test]
fn entries_without_a_time_take_the_one_before() {
    for (before, times, want) in [
        (Some(5), vec![Err(NO_TIME), Err(NO_TIME), Ok(9)], vec![5, 5, 9]),
        (None, vec![Err(NO_TIME), Ok(9), Err(9)], vec![9, 9, 9]),
        (None, vec![Err(NO_TIME)], vec![NO_TIME]),
    ] {
        let mut columns = Columns::default();
        for time in times {
            columns.push(0, time, LayoutId::PLAIN, None, Flags::default());
        }
        columns.settle(before);
        let block = Block { columns, ..Arc::into_inner(block(0, &[])).unwrap() };
        let got: Vec<i64> = (0..block.len()).map(|index| block.time(index)).collect();
        assert_eq!(got, want);
    }
}

#[test]
fn bits_know_their_length() {
    for len in [0, 1, 63, 64, 65, 200] {
        let mut bits = Bits::all(len);
        assert_eq!(bits.count(), len);
        assert!(!bits.has(len));
        bits.keep(&Bits::none(len));
        assert_eq!(bits.count(), 0);
    }
}

proptest! {
    #[test]
    fn bits_are_a_set(members in proptest::collection::btree_set(0usize..300, 0..40), others in proptest::collection::btree_set(0usize..300, 0..40)) {
        let of = |set: &std::collections::BTreeSet<usize>| {
            let mut bits = Bits::none(300);
            set.iter().for_each(|index| bits.set(*index));
            bits
        };
        let mut bits = of(&members);
        prop_assert_eq!(bits.iter().collect::<Vec<_>>(), members.iter().copied().collect::<Vec<_>>());
        bits.keep(&of(&others));
        let both: Vec<usize> = members.intersection(&others).copied().collect();
        prop_assert_eq!(bits.count(), both.len());
        prop_assert_eq!(bits.iter().collect::<Vec<_>>(), both);
    }

    #[test]
    fn places_in_a_set_are_found_by_count(members in proptest::collection::btree_set(0usize..300, 0..60)) {
        let mut bits = Bits::none(300);
        members.iter().for_each(|index| bits.set(*index));
        for (rank, index) in members.iter().enumerate() {
            prop_assert_eq!(bits.select(rank), Some(*index));
            prop_assert_eq!(bits.rank(*index), rank);
            prop_assert_eq!(bits.iter_from(*index).count(), members.len() - rank);
        }
        prop_assert_eq!((bits.select(members.len()), bits.rank(300)), (None, members.len()));
        prop_assert_eq!(bits.rank(usize::MAX), members.len());
    }

    #[test]
    fn levels_are_counted_by_words(
        levels in proptest::collection::vec(0usize..7, 1..200),
        members in proptest::collection::btree_set(0usize..200, 0..90),
        from in 0usize..200,
        to in 0usize..200,
    ) {
        let packed = Levels::of(levels.iter().map(|number| number.checked_sub(1).map(|at| Level::ALL[at])));
        let mut set = Bits::none(levels.len());
        members.iter().filter(|index| **index < levels.len()).for_each(|index| set.set(*index));
        let range = from.min(levels.len())..to.min(levels.len()).max(from.min(levels.len()));
        let mut want = [0; 7];
        for index in range.clone().filter(|index| members.contains(index)) {
            want[levels[index]] += 1;
        }
        prop_assert_eq!(packed.count(&set, range), want);
    }

    #[test]
    fn merged_rows_are_sorted_rows(
        sources in proptest::collection::vec(proptest::collection::vec(0i64..50, 0..40), 1..6),
        pivot in 0i64..50,
        shared in any::<bool>(),
        step in 1usize..4,
    ) {
        let blocks: Blocks = sources
            .iter()
            .enumerate()
            .map(|(at, times)| block(if shared { 0 } else { u16::try_from(at).unwrap() }, times))
            .collect();
        let mut rows = Rows::default();
        let mut all: Vec<_> = blocks
            .iter()
            .enumerate()
            .flat_map(|(number, block)| (0..block.len()).map(move |i| EntryId::new(number, i)))
            .map(|id| key(&blocks, id))
            .collect();
        all.sort_unstable();
        let numbers: Vec<usize> = (0..blocks.len()).collect();
        for batch in numbers.chunks(step) {
            let ranges = batch.iter().map(|number| (*number, 0..blocks[*number].len()));
            rows.merge(&blocks, &in_order(&blocks, ranges));
        }
        let want: Vec<EntryId> = all.iter().map(|key| key.3).collect();
        prop_assert_eq!(rows.iter_from(0).collect::<Vec<_>>(), want.clone());
        for (row, id) in want.iter().enumerate() {
            prop_assert_eq!(rows.get(row), Some(*id));
            prop_assert_eq!(rows.lower_bound(&blocks, key(&blocks, *id)), row);
        }
        prop_assert_eq!(rows.get(want.len()), None);
        let odd = |id: EntryId| (blocks[id.block()].time(id.index()) + pivot) % 2 == 1;
        let found = |id: EntryId| id.index().is_multiple_of(3);
        let sets = |keep: &dyn Fn(EntryId) -> bool| -> Vec<Arc<Bits>> {
            let set = |chunk: &Arc<Chunk>| {
                let mut set = Bits::none(chunk.ids().len());
                chunk.ids().iter().enumerate().filter(|(_, id)| keep(**id)).for_each(|(at, _)| {
                    set.set(at);
                });
                Arc::new(set)
            };
            rows.chunks().iter().map(set).collect()
        };
        let sifted = rows.sifted(sets(&odd).iter().map(|set| Bits::clone(set)).collect());
        prop_assert_eq!(sifted.count_in(&sets(&found)), want.iter().filter(|id| odd(**id) && found(**id)).count());
        let kept: Vec<EntryId> = want.iter().copied().filter(|id| odd(*id)).collect();
        prop_assert_eq!(sifted.len(), kept.len());
        for row in 0..=kept.len() {
            prop_assert_eq!(sifted.get(row), kept.get(row).copied());
            prop_assert_eq!(sifted.iter_from(row).collect::<Vec<_>>(), &kept[row..]);
            let after = (row + 1..kept.len()).find(|next| found(kept[*next]));
            let before = (0..row).rev().find(|next| found(kept[*next]));
            if row < kept.len() {
                prop_assert_eq!(sifted.next_in(&sets(&found), row, true), after);
                prop_assert_eq!(sifted.next_in(&sets(&found), row, false), before);
            }
        }
        for id in &want {
            let at = kept.iter().position(|kept| key(&blocks, *kept) >= key(&blocks, *id));
            prop_assert_eq!(sifted.lower_bound(&blocks, key(&blocks, *id)), at.unwrap_or(kept.len()));
        }
        rows.remove_block(0);
        prop_assert!(rows.iter_from(0).all(|id| id.block() != 0));
        prop_assert_eq!(rows.len(), want.iter().filter(|id| id.block() != 0).count());
    }

    #[test]
    fn entries_come_in_the_order_of_time(
        sources in proptest::collection::vec(proptest::collection::vec(0i64..30, 0..30), 1..6),
        from in 0usize..5,
    ) {
        let blocks: Blocks = sources
            .iter()
            .enumerate()
            .map(|(at, times)| block(u16::try_from(at % 3).unwrap(), times))
            .collect();
        let ranges = || blocks.iter().enumerate().map(|(n, b)| (n, from.min(b.len())..b.len()));
        let mut want: Vec<_> = ranges()
            .flat_map(|(number, range)| range.map(move |index| EntryId::new(number, index)))
            .map(|id| key(&blocks, id))
            .collect();
        want.sort_unstable();
        let want: Vec<EntryId> = want.into_iter().map(|key| key.3).collect();
        prop_assert_eq!(in_order(&blocks, ranges()), want);
    }
}

#[test]
fn rows_of_one_layout_in_a_row_are_found() {
    let mut columns = Columns::default();
    let plain = LayoutId::PLAIN;
    let layouts = [LayoutId::TEXT, plain, LayoutId::TEXT, plain, plain, plain, LayoutId::JSON];
    for (at, layout) in (0u32..).zip(layouts) {
        columns.push(at * 10, Ok(i64::from(at)), layout, None, Flags::default());
    }
    assert_eq!(columns.run_of(plain, 1), Some(10));
    assert_eq!(columns.run_of(plain, 2), Some(30));
    assert_eq!(columns.run_of(plain, 3), Some(30));
    assert_eq!(columns.run_of(plain, 4), None);
    assert_eq!(columns.starts().collect::<Vec<_>>(), [0, 10, 20, 30, 40, 50, 60]);
    columns.pop();
    assert_eq!((columns.len(), columns.last_start(), columns.last_time()), (6, Some(50), Some(5)));
}
