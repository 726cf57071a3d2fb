#![no_main]

libfuzzer_sys::fuzz_target!(|bytes: &[u8]| cribrum_core::fuzz::filter(bytes));
