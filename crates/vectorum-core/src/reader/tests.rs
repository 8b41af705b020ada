//! Laws that hold for every reader of the table.

use proptest::prelude::*;

use super::*;

fn around() -> Surroundings {
    Surroundings {
        outer: Block::from_vars([("OUTER", "outside"), ("HOME", "/home/odile"), ("EMPTY", "")]),
        account: "odile".into(),
        home: "/home/odile".into(),
        ..Surroundings::default()
    }
}

/// Bytes that mean something to some reader are frequent.
fn telling(most: usize) -> impl Strategy<Value = Vec<u8>> {
    let piece = prop_oneof![
        6 => proptest::sample::select(
            b"'\"`\\$#=:;%@~!*?[]{}()<>|& \t\n\r\0".iter().map(|b| vec![*b]).collect::<Vec<_>>()
        ),
        4 => "[a-zA-Z0-9_]{1,4}".prop_map(String::into_bytes),
        2 => proptest::sample::select(
            ["A=", "export ", "${", "${A:-", "DEFAULT=", "OVERRIDE=", "Environment=", "set -gx ", "\\n", "\n\n", "\u{feff}", "é", "$OUTER"]
                .map(|t| t.as_bytes().to_vec()).to_vec()
        ),
        1 => proptest::collection::vec(any::<u8>(), 1..3),
    ];
    proptest::collection::vec(piece, 0..most).prop_map(|pieces| pieces.concat())
}

fn name() -> impl Strategy<Value = Name> {
    let name = prop_oneof![
        6 => "[A-Z][A-Z_0-9]{0,6}".prop_map(String::into_bytes),
        1 => telling(4).prop_map(|mut n| { n.retain(|b| *b != b'=' && *b != 0); n }),
    ];
    name.prop_filter_map("a name", Name::new)
}

fn value() -> impl Strategy<Value = Value> {
    telling(16)
        .prop_map(|mut v| {
            v.retain(|b| *b != 0);
            v
        })
        .prop_filter_map("a value", Value::new)
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(if cfg!(debug_assertions) { 512 } else { 20_000 }))]

    /// Whatever the file is: no panic, places within it, complaints in places that can be told.
    #[test]
    fn any_bytes_are_read(file in telling(60)) {
        for reader in READERS {
            let reading = reader.read(&file, &around());
            for entry in &reading.entries {
                prop_assert!(entry.span.start <= entry.span.end && entry.span.end <= file.len(), "{} {:?}", reader.id(), entry);
                prop_assert!(entry.value_span.start <= entry.value_span.end && entry.value_span.end <= file.len(), "{} {:?}", reader.id(), entry);
            }
            for complaint in &reading.complaints {
                prop_assert!(complaint.at <= file.len(), "{}", reader.id());
                let (line, column) = place(&file, complaint.at);
                prop_assert!(line >= 1 && column >= 1);
            }
        }
    }

    /// What a writer spells, its reader gives back exactly, and what stands behind it is untouched.
    #[test]
    fn what_is_written_is_read(name in name(), value in value()) {
        let last = (Name::new("ZZ_LAST").unwrap(), Value::new("end").unwrap());
        prop_assume!(name != last.0);
        for reader in READERS {
            let Ok(mut file) = reader.write(&name, &value) else { continue };
            file.extend(reader.write(&last.0, &last.1).unwrap());
            let empty = Surroundings { outer: Block::from_vars([("HOME", "/home/odile")]), ..around() };
            let reading = reader.read(&file, &empty);
            prop_assert!(reading.is_known() && reading.is_accepted(), "{}: {:?} {:?}", reader.id(), String::from_utf8_lossy(&file), reading);
            let pairs = handed_on(*reader, &reading, &Block::empty());
            let of = |n: &Name| pairs.iter().find(|(k, _)| k == n.as_bytes()).map(|(_, e)| e.clone());
            prop_assert_eq!(of(&name), Some(Effect::Set(Bytes::copy_from_slice(value.as_bytes()))), "{}: {:?}", reader.id(), String::from_utf8_lossy(&file));
            prop_assert_eq!(of(&last.0), Some(Effect::Set("end".into())), "{}: {:?}", reader.id(), String::from_utf8_lossy(&file));
        }
    }

    /// A value that is called safe is read alike by all, bare.
    #[test]
    fn safe_values_are_read_alike(value in "[A-Za-z0-9!%*+,./:?@\\[\\]^_{}-]{1,12}") {
        prop_assert!(is_safe_bare(value.as_bytes()));
        let file = format!("V={value}\n");
        for reader in READERS.iter().filter(|r| !matches!(r.id(), "fish" | "systemd-environment")) {
            let reading = reader.read(file.as_bytes(), &around());
            // A shell's reader may leave patterns to the shell.
            if reading.is_known() {
                let pairs = handed_on(*reader, &reading, &Block::empty());
                prop_assert_eq!(&pairs, &vec![(Bytes::from("V"), Effect::Set(value.clone().into()))], "{}", reader.id());
            }
        }
    }
}

#[test]
fn the_table_is_sound() {
    for (at, one) in READERS.iter().enumerate() {
        assert!(READERS.iter().skip(at + 1).all(|other| other.id() != one.id()), "{} stands there twice", one.id());
        assert!(!one.about().is_empty());
        assert!(reader(one.id()).is_some());
    }
}

/// A reader, a file, line and column of the first complaint, a part of it, the names that are left.
type Case = (&'static str, &'static str, (usize, usize), &'static str, &'static [&'static str]);

/// What is complained about, where, and what becomes of the file.
#[test]
fn complaints_name_their_places() {
    let cases: &[Case] = &[
        ("container-env-file", "A=1\nexport B=2\n", (2, 1), "a blank in a name: the file is refused", &[]),
        ("container-env-file", "A=1\n=x\n", (2, 1), "without a name", &[]),
        ("podman-env-file", "export A=1\n=x\n", (2, 1), "without a name", &[]),
        ("systemd-environment-file", "A=1\nA-B=2\nC=3\n", (2, 1), "the line is dropped", &["A", "C"]),
        ("systemd-environment-file", "export A=1\n", (1, 1), "`export` is no word of this grammar", &[]),
        ("systemd-environment-file", "A=1\nB='x\nC=3\n", (2, 3), "never closed", &["A", "B"]),
        ("environment-d", "A=1\nB=\n", (2, 1), "an empty value", &["A"]),
        ("systemd-environment", "Environment=A=1 B\n", (1, 1), "no assignment", &["A"]),
        ("systemd-environment", "Environment=A=1 B=\\q C=2\n", (1, 1), "an escape that is none", &["A"]),
        ("pam-env-file", "A=1\n  B =2\n", (2, 1), "the line is ignored", &["A"]),
        ("pam-env-conf", "A DEFAULT=1\nB DEFAULT=${A\nC DEFAULT=2\n", (2, 1), "never closed", &["A"]),
        ("crontab", "A=1\nB=\n", (2, 1), "cron ignores the whole file", &[]),
        ("ssh-environment", "A=1\n\nnothing\n", (3, 1), "without `=`", &["A"]),
        ("sudo-env-file", "A=1\nPATH=/x\n", (2, 1), "keeps its own value", &["A"]),
        ("node-env-file", "A=1\nword\nB=2\n", (2, 1), "a part of the next name", &["A", "word\nB"]),
        ("make-include", "A=1\nword\n", (2, 1), "neither an assignment nor a rule", &[]),
        ("make-include", "A=$(A)\n", (1, 1), "refers to itself", &[]),
        ("compose", "A=1\nB=\"x\n", (2, 3), "never closed", &[]),
        ("fish", "set -gx A 1\nB=2\n", (2, 1), "no command in fish", &[]),
    ];
    for (id, file, (line, column), told, names) in cases {
        let reading = reader(id).unwrap().read(file.as_bytes(), &around());
        let first = reading.complaints.first().unwrap_or_else(|| panic!("{id} says nothing of {file:?}"));
        assert_eq!(place(file.as_bytes(), first.at), (*line, *column), "{id}: {file:?}: {}", first.what);
        assert!(first.what.contains(told) && !first.way_out.is_empty(), "{id}: {}", first.what);
        let left: Vec<_> = reading.entries.iter().map(|e| String::from_utf8_lossy(&e.name).into_owned()).collect();
        assert_eq!(left, *names, "{id}: {file:?}");
    }
}

/// Where a file would have to be run, the place is told and nothing is guessed.
#[test]
fn programs_are_open_where_they_must_be() {
    for (id, file, at) in [
        ("sh", "A=1\neval \"$(hostname)\"\n", 10),
        ("bash", "coproc A=1\n", 0),
        ("zsh", "A==ls\n", 2),
        ("ksh", "A.B=1\n", 0),
        ("mksh", "A='x\n", 2),
        ("fish", "source (hostname)\n", 7),
        ("make-include", "A := $(shell hostname)\n", 0),
    ] {
        let reading = reader(id).unwrap().read(file.as_bytes(), &around());
        assert_eq!(reading.open.map(|(at, _)| at), Some(at), "{id}: {file:?}");
        assert!(!reading.is_known());
    }
    // A program's output is unknown, and nothing else is.
    let reading = reader("sh").unwrap().read(b"A=1\nB=$(hostname)\nC=2\n", &around());
    let known: Vec<bool> = reading.entries.iter().map(|e| matches!(e.effect, Effect::Set(_))).collect();
    assert_eq!((reading.open, known), (None, vec![true, false, true]));
    for (id, file) in [
        ("bash", "if true; then A=1; fi\n"),
        ("sh", "A='a b' B=\"$OUTER\"x; export C=1\nno-such --option\n"),
        ("fish", "set -gx A 'x y' $OUTER # c\n"),
    ] {
        assert!(reader(id).unwrap().read(file.as_bytes(), &around()).is_known(), "{id}: {file:?}");
    }
}
