//! Any bytes as an env file: every reader gives a result with places within the file, and what is
//! made of the results holds together.

#![no_main]

use libfuzzer_sys::fuzz_target;
use vectorum_core::reader::{READERS, Surroundings, Views, detect, layered, place};
use vectorum_core::{Block, fill};

fuzz_target!(|file: &[u8]| {
    let outer = Block::from_vars([("OUTER", "outside"), ("HOME", "/home/odile"), ("EMPTY", "")]);
    let around = Surroundings { outer, ..Surroundings::default() };
    for reader in READERS {
        let reading = reader.read(file, &around);
        for entry in &reading.entries {
            assert!(entry.span.start <= entry.span.end && entry.span.end <= file.len(), "{}", reader.id());
            assert!(entry.value_span.start <= entry.value_span.end && entry.value_span.end <= file.len(), "{}", reader.id());
        }
        for complaint in &reading.complaints {
            assert!(complaint.at <= file.len(), "{}", reader.id());
            place(file, complaint.at);
        }
        layered(*reader, &reading, &around.outer);
    }
    let (found, _) = detect(b"berth.env", file);
    let views = Views::new(file, &[found, READERS[0], READERS[6]], &around);
    let names = views.names();
    let spellings: Vec<_> = names.iter().take(4).filter_map(|n| Some((n.clone(), views.agreed(n).ok()?))).collect();
    views.respelt(file, &spellings);
    let _ = fill(file, &around.outer, &Default::default());
});
