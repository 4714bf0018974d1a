//! Fuzz target; what it does is in `src/lib.rs`.
#![no_main]

libfuzzer_sys::fuzz_target!(|data: &[u8]| basilocus_fuzz::plan(data));
