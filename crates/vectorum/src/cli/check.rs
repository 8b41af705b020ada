//! `check`: where the readers of an env file part, and what is wrong with it.

use std::collections::HashMap;
use std::os::unix::ffi::OsStrExt;
use std::os::unix::fs::PermissionsExt;
use std::path::{Path, PathBuf};
use std::process::{Command, Stdio};

use bytes::Bytes;
use serde_json::{Map, Value as Json, json};
use vectorum_core::reader::{Effect, Reader, Seen, Surroundings, USUAL, Views, detect, place, reader};
use vectorum_core::{Tint, inert, judge};
use vectorum_host::replace_file;

use super::read::{ids, read_file, readers_help, shown, surroundings};
use super::{Answer, Failure, json as schema, output};

/// Check env files: where their readers part, doubles, odd names, secrets that others can read
///
/// Without --as, the file's most likely reader is taken together with a shell, the service manager,
/// a login, container clients and node.
///
/// Exit status 1 if something was found.
#[derive(Debug, clap::Args)]
#[command(after_help = readers_help())]
pub(crate) struct Args {
    /// The files
    #[arg(required = true, value_name = "FILE")]
    files: Vec<PathBuf>,

    /// A reader that the files are meant for; several by repeating it
    #[arg(long = "as", value_name = "READER", value_parser = ids())]
    readers: Vec<String>,

    /// Write the spelling that all of them take, where there is one; nothing else is touched
    #[arg(long)]
    fix: bool,

    /// Show what looks secret
    #[arg(long)]
    reveal: bool,

    /// One JSON document
    #[arg(long)]
    json: bool,
}

/// What was found in a file.
struct Found {
    path: PathBuf,
    views: Views,
    parting: Vec<Parting>,
    troubles: Vec<Trouble>,
}

/// A name that readers see differently.
struct Parting {
    name: Bytes,
    line: usize,
    groups: Vec<(Seen, Vec<usize>)>,
    /// The line that all take, or those that none suits together with the others.
    spelling: Result<Vec<u8>, String>,
}

/// Something else.
struct Trouble {
    line: usize,
    what: String,
    way_out: &'static str,
}

/// Runs the command.
pub(crate) fn run(args: &Args) -> Answer {
    let around = surroundings();
    let mut found = Vec::new();
    for path in &args.files {
        let bytes = read_file(path)?;
        let mut one = check(path, &bytes, &args.readers, &around);
        if args.fix && one.parting.iter().any(|p| p.spelling.is_ok()) {
            let spellings: Vec<(Bytes, Vec<u8>)> =
                one.parting.iter().filter_map(|p| Some((p.name.clone(), p.spelling.clone().ok()?))).collect();
            let fixed = one.views.respelt(&bytes, &spellings);
            replace_file(path, &bytes, &fixed).map_err(|e| Failure::io(shown(path), &e).way_out("nothing was written"))?;
            let before = one.parting.len();
            one = check(path, &fixed, &args.readers, &around);
            let left = one.parting.len();
            output::note(&format!("{}: of {before} entries that readers parted over, {left} are left", shown(path)));
        }
        found.push(one);
    }
    let is_clean = found.iter().all(|f| f.parting.is_empty() && f.troubles.is_empty());
    if args.json {
        let mut document = Map::new();
        document.insert("files".to_owned(), found.iter().map(file_json).collect());
        schema::print(document)?;
    } else {
        output::print(text(&found, args.reveal)?.as_bytes())?;
    }
    Ok(u8::from(!is_clean))
}

fn check(path: &Path, bytes: &[u8], wanted: &[String], around: &Surroundings) -> Found {
    let likely = detect(path.as_os_str().as_bytes(), bytes).0;
    let mut readers: Vec<&'static dyn Reader> = wanted.iter().filter_map(|id| reader(id)).collect();
    if readers.is_empty() {
        readers.push(likely);
        readers.extend(USUAL.iter().filter_map(|id| reader(id)).filter(|r| r.id() != likely.id()));
    }
    let views = Views::new(bytes, &readers, around);
    let mut parting = Vec::new();
    for name in views.names() {
        if !views.part(&name) {
            continue;
        }
        let at = views.readings.iter().flat_map(|r| &r.entries).find(|e| e.name == name).map_or(0, |e| e.span.start);
        let spelling = views.agreed(&name);
        parting.push(Parting { line: place(bytes, at).0, groups: views.groups(&name), name, spelling });
    }
    let troubles = troubles(path, bytes, &views);
    Found { path: path.to_owned(), views, parting, troubles }
}

/// What is wrong beside readers that part, as the first reader takes the file.
fn troubles(path: &Path, bytes: &[u8], views: &Views) -> Vec<Trouble> {
    let mut out = Vec::new();
    let Some(reading) = views.readings.first() else { return out };
    let line = |at: usize| place(bytes, at).0;
    let id = views.readers.first().map_or("", |r| r.id());
    for complaint in &reading.complaints {
        out.push(Trouble { line: line(complaint.at), what: format!("{id}: {}", complaint.what), way_out: complaint.way_out });
    }
    if let Some((at, why)) = reading.open {
        let what = format!("{id}: {why}: what comes of the file cannot be told without it");
        out.push(Trouble { line: line(at), what, way_out: "check it with the readers that it is meant for: --as READER" });
    }
    let mut lines: HashMap<&Bytes, usize> = HashMap::new();
    let mut folded: HashMap<Vec<u8>, &Bytes> = HashMap::new();
    for entry in &reading.entries {
        let at = line(entry.span.start);
        if let Some(before) = lines.insert(&entry.name, at) {
            out.push(Trouble {
                line: at,
                what: format!("{} is set here again, after line {before}", inert(&entry.name)),
                way_out: "readers differ in which one counts: keep one",
            });
        }
        let other = folded.entry(entry.name.to_ascii_lowercase()).or_insert(&entry.name);
        if **other != entry.name && lines.len() > 1 {
            out.push(Trouble {
                line: at,
                what: format!("{} differs from {} only in case", inert(&entry.name), inert(other)),
                way_out: "programs take them for two names: keep one",
            });
        }
        let is_portable = |n: &[u8]| {
            n.first().is_some_and(|b| !b.is_ascii_digit()) && n.iter().all(|b| b.is_ascii_alphanumeric() || *b == b'_')
        };
        if !is_portable(&entry.name) {
            out.push(Trouble {
                line: at,
                what: format!("{} is no name that every program can use", inert(&entry.name)),
                way_out: "use letters, digits and underscores, and begin with no digit",
            });
        }
    }
    let secret = reading.entries.iter().find(|e| matches!(&e.effect, Effect::Set(v) if judge(&e.name, v).is_secret()));
    if let Some(entry) = secret {
        let at = line(entry.span.start);
        let others = std::fs::metadata(path).is_ok_and(|m| m.is_file() && m.permissions().mode() & 0o044 != 0);
        if others {
            out.push(Trouble {
                line: at,
                what: format!("{} looks secret, and others may read the file", inert(&entry.name)),
                way_out: "chmod 600",
            });
        }
        if is_tracked(path) {
            out.push(Trouble {
                line: at,
                what: format!("{} looks secret, and version control tracks the file", inert(&entry.name)),
                way_out: "git rm --cached, and change the secret: it is in the history",
            });
        }
    }
    out.sort_by_key(|t| t.line);
    out
}

/// Asks git whether it tracks a file. What the folder's own settings could start (monitors, hooks,
/// pagers) is switched off; where git says nothing, the answer is no.
fn is_tracked(path: &Path) -> bool {
    let (Some(folder), Some(name)) = (path.parent(), path.file_name()) else { return false };
    let folder = if folder.as_os_str().is_empty() { Path::new(".") } else { folder };
    let mut git = Command::new("git");
    for (variable, _) in std::env::vars_os().filter(|(n, _)| n.as_bytes().starts_with(b"GIT_")) {
        git.env_remove(variable);
    }
    git.args(["--no-pager", "--literal-pathspecs", "-c", "core.fsmonitor=false", "-c", "core.hooksPath=/dev/null", "-C"]);
    git.arg(folder).args(["ls-files", "--error-unmatch", "--"]).arg(name);
    git.env("GIT_OPTIONAL_LOCKS", "0").stdin(Stdio::null()).stdout(Stdio::null()).stderr(Stdio::null());
    git.status().is_ok_and(|status| status.success())
}

/// Returns what a reader sees, in words.
fn seen_words(seen: &Seen) -> &'static str {
    match seen {
        Seen::Value(_) => "",
        Seen::Unset => "removes it",
        Seen::Absent => "does not get it",
        Seen::Refused => "refuses the whole file",
        Seen::Unknown => "cannot be told",
    }
}

fn text(found: &[Found], reveal: bool) -> Result<String, Failure> {
    let sight = match output::Sight::of_terminal(reveal)? {
        Some(sight) => sight,
        // A report is for people: masked everywhere.
        None => output::Sight::plain(reveal, false)?,
    };
    let mut out = String::new();
    for file in found {
        let who: Vec<&str> = file.views.readers.iter().map(|r| r.id()).collect();
        out.push_str(&format!("{}: {} names, read by {}\n", shown(&file.path), file.views.names().len(), who.join(", ")));
        for parting in &file.parting {
            out.push_str(&format!(
                "\n  line {}: {} is read in {} ways\n",
                parting.line,
                inert(&parting.name),
                parting.groups.len()
            ));
            let mut letters = 0;
            for (seen, members) in &parting.groups {
                let (letter, what) = match seen {
                    Seen::Value(value) => {
                        letters += 1;
                        let shown = if value.is_empty() { "(empty)".to_owned() } else { sight.value(&parting.name, value) };
                        (Tint::Value(letters - 1).to_string(), shown)
                    }
                    other => (Tint::Absent.to_string(), seen_words(other).to_owned()),
                };
                let members: Vec<&str> = members.iter().filter_map(|at| file.views.readers.get(*at)).map(|r| r.id()).collect();
                out.push_str(&format!("    {letter:<2} {what}\n       {}\n", members.join(", ")));
            }
            match &parting.spelling {
                Ok(line) => out.push_str(&format!("    all agree on: {}\n", sight.entry(line))),
                Err(why) => out.push_str(&format!("    no spelling suits all: {why}\n")),
            }
        }
        if !file.troubles.is_empty() {
            out.push('\n');
        }
        for trouble in &file.troubles {
            out.push_str(&format!("  line {}: {}; {}\n", trouble.line, trouble.what, trouble.way_out));
        }
        if file.parting.is_empty() && file.troubles.is_empty() {
            out.push_str("  all of them read the same, and nothing looks wrong\n");
        }
    }
    Ok(out)
}

fn file_json(file: &Found) -> Json {
    let id = |at: &usize| file.views.readers.get(*at).map_or("", |r| r.id());
    let group = |(seen, members): &(Seen, Vec<usize>)| {
        let value = if let Seen::Value(v) = seen { schema::bytes(v) } else { Json::Null };
        let what = if matches!(seen, Seen::Value(_)) { "value" } else { seen_words(seen) };
        json!({ "readers": members.iter().map(id).collect::<Vec<_>>(), "sees": what, "value": value })
    };
    let parting = |p: &Parting| {
        let spelling = p.spelling.as_ref().map_or(Json::Null, |s| schema::bytes(s));
        json!({ "name": schema::bytes(&p.name), "line": p.line, "groups": p.groups.iter().map(group).collect::<Vec<_>>(), "agreed": spelling })
    };
    let trouble = |t: &Trouble| json!({ "line": t.line, "what": t.what, "way_out": t.way_out });
    json!({
        "path": shown(&file.path),
        "readers": file.views.readers.iter().map(|r| r.id()).collect::<Vec<_>>(),
        "parting": file.parting.iter().map(parting).collect::<Vec<_>>(),
        "troubles": file.troubles.iter().map(trouble).collect::<Vec<_>>(),
    })
}
