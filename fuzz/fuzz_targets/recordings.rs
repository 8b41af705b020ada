//! Any bytes as a recording: an error or facts, and the same however it is cut into pieces.

#![no_main]

use libfuzzer_sys::fuzz_target;
use vectorum_trace::Reader;

fn read(pieces: &[&[u8]]) -> (usize, bool) {
    let mut reader = Reader::default();
    let mut facts = 0;
    let failed = pieces.iter().any(|piece| reader.feed(piece, |_| facts += 1).is_err());
    (facts, failed)
}

fuzz_target!(|input: (u16, &[u8])| {
    let (at, bytes) = input;
    let (first, second) = bytes.split_at(usize::from(at).min(bytes.len()));
    let (whole, cut) = (read(&[bytes]), read(&[first, second]));
    assert_eq!(whole.1, cut.1);
    if !whole.1 {
        assert_eq!(whole.0, cut.0);
    }
});
