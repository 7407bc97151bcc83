#![no_main]

libfuzzer_sys::fuzz_target!(|data: &[u8]| fracht_fuzz::lock(data));
