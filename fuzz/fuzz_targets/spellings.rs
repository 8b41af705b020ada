//! Any name and value: what a writer spells, its reader gives back exactly, and what stands behind
//! it is untouched.

#![no_main]

use libfuzzer_sys::fuzz_target;
use vectorum_core::reader::{Effect, READERS, Surroundings, handed_on};
use vectorum_core::export::{format_ids, write_as};
use vectorum_core::{Block, Name, Value};

fuzz_target!(|pair: (Vec<u8>, Vec<u8>)| {
    let (Some(name), Some(value)) = (Name::new(pair.0), Value::new(pair.1)) else { return };
    let (Some(next), Some(end)) = (Name::new(b"ZZ_LAST".to_vec()), Value::new(b"end".to_vec())) else { return };
    if name == next {
        return;
    }
    let around = Surroundings { outer: Block::from_vars([("HOME", "/home/odile")]), ..Surroundings::default() };
    for reader in READERS {
        let Ok(mut file) = reader.write(&name, &value) else { continue };
        file.extend(reader.write(&next, &end).expect("a plain name and value"));
        let reading = reader.read(&file, &around);
        assert!(reading.is_known() && reading.is_accepted(), "{}: {}", reader.id(), file.escape_ascii());
        let pairs = handed_on(*reader, &reading, &Block::empty());
        for (name, value) in [(&name, &value), (&next, &end)] {
            let got = pairs.iter().find(|(n, _)| n == name.as_bytes()).map(|(_, effect)| effect);
            let wanted = Effect::Set(value.as_bytes().to_vec().into());
            assert_eq!(got, Some(&wanted), "{}: {}", reader.id(), file.escape_ascii());
        }
    }
    let pairs = [(name, value)];
    for (id, _) in format_ids() {
        let _ = write_as(id, &pairs);
    }
});
