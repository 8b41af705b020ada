//! `trace`: a command, and a receipt for every program started below it.

use std::ffi::{CString, OsString};
use std::fs::{File, OpenOptions};
use std::io::{BufRead, BufReader, IsTerminal, Read};
use std::os::unix::ffi::{OsStrExt, OsStringExt};
use std::os::unix::fs::{OpenOptionsExt, PermissionsExt};
use std::path::{Path, PathBuf};
use std::time::{SystemTime, UNIX_EPOCH};

use nix::unistd::User;
use vectorum_core::{Fingerprinter, inert};
use vectorum_host::Peek;
use vectorum_trace::{Means, Options, Values, loses_rights, trace};

use super::args::ChangeArgs;
use super::failure::quoted;
use super::{Answer, Failure, output, selector};

/// Run a command, and record what every program started below it receives
///
/// The recording is a file that `vectorum receipts` lists. It has a line for every program that
/// ran, those of debuggers, build tools and tests included, and is written while they run.
#[derive(Debug, clap::Args)]
#[command(
    after_help = "Exit status: the command's; 125 if vectorum fails, 126 if the command cannot be run, 127 if it is not there."
)]
pub(crate) struct Args {
    #[command(flatten)]
    changes: ChangeArgs,

    /// Where the recording goes [default: the command's name with .receipts.jsonl]
    #[arg(short = 'o', long, value_name = "FILE")]
    output: Option<PathBuf>,

    /// Record the values that look secret, too, not only their fingerprints
    #[arg(long)]
    keep_values: bool,

    /// How processes are watched: by a listener of the kernel, or by ptrace, under which debuggers
    /// below the command do not work
    #[arg(long, value_enum, default_value_t, value_name = "MEANS")]
    by: By,

    /// Run the command as this account; for root
    #[arg(long = "as", value_name = "ACCOUNT")]
    account: Option<String>,

    /// Do not look into the memory of processes
    #[arg(long)]
    no_peek: bool,

    /// The command, behind --
    #[arg(last = true, value_name = "CMD", required = true)]
    command: Vec<OsString>,
}

/// The means of watching, as typed.
#[derive(Clone, Copy, Debug, Default, clap::ValueEnum)]
enum By {
    /// A listener where the kernel gives one, else ptrace
    #[default]
    Best,
    /// A listener (seccomp user notification), or not at all
    Listener,
    /// ptrace
    Ptrace,
}

/// Becomes the command; returns only if that fails.
pub(crate) fn run(args: &Args) -> Answer {
    let block = args.changes.changes()?.apply(&selector::own());
    let account = args.account.as_deref().map(find_account).transpose()?;
    let path = args.output.clone().unwrap_or_else(|| default_output(&args.command));
    let out = create(&path)?;
    if loses_rights() && std::io::stderr().is_terminal() {
        output::note("note: set-user-id programs below run without the rights of their owners; as root, trace --as keeps them");
    }
    if args.output.is_none() {
        output::note(&format!("recording in {}", inert(path.as_os_str().as_bytes())));
    }
    let options = Options {
        out,
        values: if args.keep_values { Values::Kept } else { Values::Masked },
        prints: key()?,
        peek: if args.no_peek { Peek::Never } else { Peek::Allowed },
        means: match args.by {
            By::Best => Means::Best,
            By::Listener => Means::Listener,
            By::Ptrace => Means::Ptrace,
        },
        account,
        now_ms: SystemTime::now().duration_since(UNIX_EPOCH).map_or(0, |d| d.as_millis() as u64),
    };
    let command: Vec<Vec<u8>> = args.command.iter().cloned().map(OsString::into_vec).collect();
    Err(trace(&command, &block, options).into())
}

fn key() -> Result<Fingerprinter, Failure> {
    output::fingerprinter()
}

fn default_output(command: &[OsString]) -> PathBuf {
    let program = command.first().map(|c| Path::new(c).file_name().unwrap_or(c).to_owned()).unwrap_or_default();
    let mut name = program;
    name.push(".receipts.jsonl");
    PathBuf::from(name)
}

/// Opens the recording: readable by its owner alone. A file that holds something else is kept.
fn create(path: &Path) -> Result<File, Failure> {
    let shown = inert(path.as_os_str().as_bytes()).into_owned();
    let failed = |e: &std::io::Error| Failure::io(&shown, e).way_out("name another file with -o");
    if let Ok(existing) = File::open(path) {
        let is_file = existing.metadata().is_ok_and(|m| m.is_file());
        let mut first = Vec::new();
        let _ = BufReader::new(existing).take(64).read_until(b':', &mut first);
        if is_file && !first.is_empty() && first != b"{\"vectorum_recording\":" {
            return Err(Failure::new(format!("{shown}: it is there already and no recording"))
                .way_out("name another file with -o, or remove it"));
        }
    }
    let file = OpenOptions::new().read(true).append(true).create(true).mode(0o600).open(path).map_err(|e| failed(&e))?;
    if file.metadata().is_ok_and(|m| m.is_file()) {
        file.set_len(0).and_then(|()| file.set_permissions(PermissionsExt::from_mode(0o600))).map_err(|e| failed(&e))?;
    }
    Ok(file)
}

fn find_account(name: &str) -> Result<(u32, u32, CString), Failure> {
    if !nix::unistd::geteuid().is_root() {
        return Err(Failure::usage("only root may trace a command as another account").way_out("run it with sudo"));
    }
    let user = User::from_name(name)
        .ok()
        .flatten()
        .ok_or_else(|| Failure::new(format!("there is no account {}", quoted(name.as_bytes()))))?;
    let name = CString::new(user.name).map_err(|_| Failure::new("the account's name holds a NUL byte"))?;
    Ok((user.uid.as_raw(), user.gid.as_raw(), name))
}
