#![no_main]

libfuzzer_sys::fuzz_target!(|data: &[u8]| shibori_fuzz::commands(data));
