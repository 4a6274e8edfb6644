//! Any bytes are read or refused; what is read can be printed and read again, applied and mapped, without a panic.
#![no_main]

use libfuzzer_sys::fuzz_target;
use swage_core::diff::{Direction, LineMap, ReadOptions, apply, decode_mail, read};

fuzz_target!(|bytes: &[u8]| {
    let text = decode_mail(bytes);
    let Ok(diff) = read(&text, &ReadOptions::default()) else { return };
    let printed = diff.to_bytes();
    let again = read(&printed, &ReadOptions::default()).expect("what was printed can be read");
    assert_eq!(again.to_bytes(), printed, "printing is stable");
    for file in diff.files() {
        let map = LineMap::from_hunks(file.hunks());
        for line in [0, 1, 100, u32::MAX] {
            if let Some(new) = map.to_new(line) {
                assert_eq!(map.to_old(new), Some(line));
            }
        }
        let _ = apply(bytes, file, Direction::Forward);
        let _ = apply(b"a\nb\n", file, Direction::Reverse);
    }
});
