//! `read`: what a reader gets from env files.

use std::path::{Path, PathBuf};

use serde_json::{Map, Value as Json, json};
use vectorum_core::reader::{Effect, READERS, Reader, Reading, Surroundings, detect, handed_on, place, reader};
use vectorum_core::{Block, Selection, inert};

use super::failure::quoted;
use super::{Answer, Failure, json as schema, output, selector};

/// Show what a reader gets from env files
///
/// Each consumer of env files has a grammar of its own. Without --as, the reader is found by the
/// file's name, place and content.
#[derive(Debug, clap::Args)]
#[command(after_help = readers_help())]
pub(crate) struct Args {
    /// The reader
    #[arg(long = "as", value_name = "READER", value_parser = ids())]
    reader: Option<String>,

    /// The files
    #[arg(required = true, value_name = "FILE")]
    files: Vec<PathBuf>,

    /// Show what looks secret
    #[arg(long)]
    reveal: bool,

    /// One JSON document
    #[arg(long)]
    json: bool,
}

/// The readers' ids, for arguments and completions.
pub(crate) fn ids() -> clap::builder::PossibleValuesParser {
    READERS.iter().map(|r| clap::builder::PossibleValue::new(r.id()).help(r.about())).collect::<Vec<_>>().into()
}

/// The readers, for help.
pub(crate) fn readers_help() -> String {
    let line = |r: &&dyn Reader| {
        format!("  {:<26}{} ({})\n", r.id(), r.about(), r.measured().unwrap_or("by its specification, not measured"))
    };
    format!("Readers:\n{}", READERS.iter().map(line).collect::<String>())
}

/// A file as its reader takes it.
pub(crate) struct Read {
    pub(crate) path: PathBuf,
    pub(crate) bytes: Vec<u8>,
    pub(crate) reader: &'static dyn Reader,
    pub(crate) reading: Reading,
}

impl Read {
    /// Reads a file by a named reader, or the most likely one.
    pub(crate) fn of(path: &Path, id: Option<&str>, around: &Surroundings) -> Result<Read, Failure> {
        use std::os::unix::ffi::OsStrExt;
        let bytes = read_file(path)?;
        let reader = match id {
            Some(id) => reader(id).ok_or_else(|| {
                Failure::usage(format!("{} is no reader", quoted(id.as_bytes())))
                    .way_out("vectorum read --help lists the readers")
            })?,
            None => detect(path.as_os_str().as_bytes(), &bytes).0,
        };
        let reading = reader.read(&bytes, around);
        Ok(Read { path: path.to_owned(), bytes, reader, reading })
    }

    /// Fails if the consumer would refuse the file, or what it gets cannot be told.
    pub(crate) fn whole(self) -> Result<Read, Failure> {
        let name = shown(&self.path);
        let unknown = self.reading.entries.iter().find_map(|e| match e.effect {
            Effect::Unknown(why) => Some((e.span.start, why)),
            _ => None,
        });
        if let Some((at, why)) = self.reading.open.or(unknown) {
            let (line, column) = place(&self.bytes, at);
            return Err(Failure::new(format!(
                "{name}:{line}:{column}: what {} makes of it cannot be told: {why}",
                self.reader.id()
            ))
            .way_out("name another reader behind the file: FILE:READER"));
        }
        if let Some(complaint) = self.reading.complaints.iter().find(|c| c.is_fatal) {
            let (line, column) = place(&self.bytes, complaint.at);
            return Err(Failure::new(format!("{name}:{line}:{column}: {}", complaint.what)).way_out(complaint.way_out));
        }
        Ok(self)
    }

    /// Returns what the consumer hands on, and nothing else.
    pub(crate) fn block(&self) -> Block {
        let pairs = handed_on(self.reader, &self.reading, &Block::empty());
        let set = pairs.iter().filter_map(|(n, e)| if let Effect::Set(v) = e { Some((n, v)) } else { None });
        Block::from_vars(set.map(|(n, v)| (&n[..], &v[..])))
    }
}

/// Reads a file's bytes; `-` is standard input.
pub(crate) fn read_file(path: &Path) -> Result<Vec<u8>, Failure> {
    let mut bytes = Vec::new();
    if path == Path::new("-") {
        use std::io::Read as _;
        std::io::stdin().lock().read_to_end(&mut bytes).map_err(|e| Failure::io("standard input", &e))?;
        return Ok(bytes);
    }
    std::fs::read(path).map_err(|e| Failure::io(shown(path), &e).way_out("name a file that this account may read"))
}

/// Returns a path as it may be shown.
pub(crate) fn shown(path: &Path) -> String {
    use std::os::unix::ffi::OsStrExt;
    inert(path.as_os_str().as_bytes()).into_owned()
}

/// Returns what readers know beside the file: this process's own block and account.
pub(crate) fn surroundings() -> Surroundings {
    let account = nix::unistd::User::from_uid(nix::unistd::geteuid()).ok().flatten();
    let mut around = Surroundings { outer: selector::own(), ..Surroundings::default() };
    if let Some(user) = account {
        use std::os::unix::ffi::OsStringExt;
        around.uid = user.uid.as_raw();
        around.account = user.name.into_bytes().into();
        around.home = user.dir.into_os_string().into_vec().into();
        around.shell = user.shell.into_os_string().into_vec().into();
    }
    if let Ok(folder) = std::env::current_dir() {
        use std::os::unix::ffi::OsStringExt;
        around.folder = folder.into_os_string().into_vec().into();
    }
    around
}

/// Runs the command. Exit status 1 if a reader refuses a file.
pub(crate) fn run(args: &Args) -> Answer {
    let around = surroundings();
    let read: Vec<Read> = args.files.iter().map(|f| Read::of(f, args.reader.as_deref(), &around)).collect::<Result<_, _>>()?;
    let all_accepted = read.iter().all(|r| r.reading.is_accepted() && r.reading.open.is_none());
    if args.json {
        let blocks: Vec<Block> = read.iter().map(Read::block).collect();
        output::note_secrets(&blocks.iter().collect::<Vec<_>>(), |_| true);
        let mut document = Map::new();
        document.insert("files".to_owned(), read.iter().map(file_json).collect());
        schema::print(document)?;
        return Ok(u8::from(!all_accepted));
    }
    let sight = output::Sight::of_terminal(args.reveal)?;
    if sight.is_none() {
        let blocks: Vec<Block> = read.iter().map(Read::block).collect();
        output::note_secrets(&blocks.iter().collect::<Vec<_>>(), |_| true);
    }
    let mut out = Vec::new();
    for file in &read {
        if read.len() > 1 {
            out.extend(format!("{} as {}:\n", shown(&file.path), file.reader.id()).into_bytes());
        }
        for (name, effect) in handed_on(file.reader, &file.reading, &Block::empty()) {
            let line = match (&effect, &sight) {
                (Effect::Set(value), Some(sight)) => {
                    format!("{}={}\n", sight.name(&name), sight.value(&name, value)).into_bytes()
                }
                (Effect::Set(value), None) => [&name[..], b"=", value, b"\n"].concat(),
                (Effect::Unset, _) => format!("{} is removed\n", inert(&name)).into_bytes(),
                (Effect::Unknown(why), _) => format!("{} is not known: {why}\n", inert(&name)).into_bytes(),
            };
            out.extend(line);
        }
        for complaint in &file.reading.complaints {
            let (line, column) = place(&file.bytes, complaint.at);
            output::note(&format!("{}:{line}:{column}: {}; {}", shown(&file.path), complaint.what, complaint.way_out));
        }
        if let Some((at, why)) = file.reading.open {
            let (line, column) = place(&file.bytes, at);
            output::note(&format!(
                "{}:{line}:{column}: {why}: what {} makes of the file cannot be told without it",
                shown(&file.path),
                file.reader.id()
            ));
        }
    }
    output::print(&out)?;
    Ok(u8::from(!all_accepted))
}

fn file_json(file: &Read) -> Json {
    let mut out = Map::new();
    out.insert("path".to_owned(), shown(&file.path).into());
    out.insert("reader".to_owned(), file.reader.id().into());
    out.insert("ok".to_owned(), file.reading.is_accepted().into());
    schema::put_block(&mut out, &file.block(), &Selection::default());
    let pairs = handed_on(file.reader, &file.reading, &Block::empty());
    let unset: Vec<Json> = pairs.iter().filter(|(_, e)| *e == Effect::Unset).map(|(n, _)| schema::bytes(n)).collect();
    out.insert("unset".to_owned(), unset.into());
    let told = |at: usize, what: &str| {
        let (line, column) = place(&file.bytes, at);
        json!({ "line": line, "column": column, "what": what })
    };
    let errors: Vec<Json> = file.reading.complaints.iter().map(|c| told(c.at, c.what)).collect();
    out.insert("errors".to_owned(), errors.into());
    out.insert("open".to_owned(), file.reading.open.map_or(Json::Null, |(at, why)| told(at, why)));
    out.into()
}
