//! The full-screen program: one state, plain updates, drawing that only reads.

mod act;
pub(crate) mod app;
mod compare;
mod detail;
pub(crate) mod draw;
mod export;
pub(crate) mod files;
mod flow;
mod keys;
mod mouse;
mod names;
mod overlay;
mod paint;
mod probes;
mod processes;

mod scene;
mod scroll;
mod search;
pub(crate) mod terminal;
pub(crate) mod theme;
mod trail;
mod work;

pub(crate) use flow::by_words;

#[cfg(test)]
mod tests;

use std::io::{self, IsTerminal, Write};
use std::path::{Path, PathBuf};
use std::sync::mpsc::{Receiver, Sender, channel};
use std::thread;
use std::time::Duration;

use nix::sys::signal::{Signal, kill};
use nix::unistd::Pid;
use signal_hook::consts::{SIGHUP, SIGTERM};
use signal_hook::iterator::Signals;
use terminal_colorsaurus::{QueryOptions, ThemeMode, theme_mode};
use vectorum_core::{Block, Content, HostView, World, inert};
use vectorum_host::{Accounts, Ending, LiveHost, RootedHost, kernel_limits, replace_file, run_to_end};

use crate::cli::{Failure, Host, HostArgs, fingerprinter, own_block};
use crate::demo::Pier;
use app::{App, Effect, Message, Start};
use probes::{Inlet, Probes};
use terminal::{Input, Screen};
use theme::{Theme, ThemeChoice};
use work::{Job, Look};

/// How the screen looks.
#[derive(Debug, Default, clap::Args)]
pub(crate) struct ScreenArgs {
    /// The colours
    #[arg(long, value_enum, default_value_t, value_name = "WHICH")]
    theme: ThemeChoice,
}

/// Opens the program on this host.
pub(crate) fn open_host(args: &ScreenArgs, which: &HostArgs, paths: &[PathBuf]) -> Result<u8, Failure> {
    if !io::stdout().is_terminal() || !io::stdin().is_terminal() {
        return Err(Failure::new("the full-screen program needs a terminal")
            .way_out("vectorum show, run and compare work without one; vectorum --help lists all"));
    }
    if let Some(root) = &which.root {
        return open_tree(args, which, root, paths);
    }
    let name = std::fs::read_to_string("/proc/sys/kernel/hostname").unwrap_or_default();
    let asked = which.clone();
    let probes = Probes::default();
    let seen = probes.clone();
    let look = move || {
        let host = Host::open(&asked).map_err(|f| f.to_string())?;
        let mut survey = host.survey();
        seen.settle(&mut survey, &host.files);
        Ok(survey)
    };
    // Somebody else's account is told before the screen is taken.
    let account = which.account.as_ref().map(|_| Host::open(which)).transpose()?.map(|h| h.account.name);
    let own_name = || inert(Accounts::default().name(nix::unistd::geteuid().as_raw()).as_bytes()).into_owned();
    let own = own_block();
    let choose = ["PATH", "HOME"].iter().filter_map(|n| vectorum_core::Name::new(*n)).find(|n| own.get(n.as_bytes()).is_some());
    let setup = Setup {
        host: inert(name.trim().as_bytes()).into_owned(),
        account: account.map_or_else(own_name, |name| inert(&name).into_owned()),
        source: Source::Host,
        look: Some(Box::new(look)),
        probes,
        root: Some(PathBuf::from("/")),
        world: World::default(),
        files: Box::new(LiveHost),
        choose,
        select: None,
        shipped: None,
        open: read_files(paths)?,
    };
    open(args, setup, own)
}

/// Opens the program on another host's file tree.
fn open_tree(args: &ScreenArgs, which: &HostArgs, root: &Path, paths: &[PathBuf]) -> Result<u8, Failure> {
    let host = Host::open(which)?;
    let name = match host.files.read(b"/etc/hostname") {
        Content::Bytes(name) if !name.trim_ascii().is_empty() => inert(name.trim_ascii()).into_owned(),
        _ => inert(std::os::unix::ffi::OsStrExt::as_bytes(root.as_os_str())).into_owned(),
    };
    let account = inert(&host.account.name).into_owned();
    let (asked, own) = (which.clone(), own_block());
    let files = RootedHost::open(root).map_err(|e| Failure::io(&name, &e))?;
    let setup = Setup {
        host: name,
        account,
        source: Source::Tree,
        look: Some(Box::new(move || Host::open(&asked).map(|host| host.survey()).map_err(|f| f.to_string()))),
        probes: Probes::default(),
        root: Some(root.to_owned()),
        world: World::default(),
        files: Box::new(files),
        choose: vectorum_core::Name::new("PATH"),
        select: None,
        shipped: None,
        open: read_files(paths)?,
    };
    open(args, setup, own)
}

/// Reads env files to be looked at.
fn read_files(paths: &[PathBuf]) -> Result<Vec<files::Source>, Failure> {
    let one = |path: &PathBuf| {
        let title = inert(std::os::unix::ffi::OsStrExt::as_bytes(path.as_os_str())).into_owned();
        let bytes = std::fs::read(path).map_err(|e| Failure::io(&title, &e).way_out("name a file that this account may read"))?;
        Ok(files::Source { title, path: Some(path.clone()), bytes })
    };
    paths.iter().map(one).collect()
}

/// Opens the program on a recording.
pub(crate) fn open_recording(args: &ScreenArgs, path: &Path) -> Result<u8, Failure> {
    if !io::stdout().is_terminal() || !io::stdin().is_terminal() {
        return Err(
            Failure::new("the full-screen program needs a terminal").way_out("vectorum receipts lists a recording without one")
        );
    }
    // What is no recording is told before the screen is taken.
    let head = work::recording_head(path).map_err(|e| Failure::recording(path, &e))?;
    let file = path.file_name().unwrap_or(path.as_os_str());
    let command: Vec<Vec<u8>> = head.command.iter().map(|c| c.to_vec()).collect();
    let setup = Setup {
        host: inert(std::os::unix::ffi::OsStrExt::as_bytes(file)).into_owned(),
        account: scene::title(&command),
        source: Source::Recording(path.to_owned()),
        look: None,
        probes: Probes::default(),
        root: None,
        world: World::default(),
        files: Box::new(LiveHost),
        choose: vectorum_core::Name::new("PATH"),
        select: None,
        shipped: None,
        open: Vec::new(),
    };
    open(args, setup, own_block())
}

/// Opens the program on the made-up host.
pub(crate) fn open_demo(args: &ScreenArgs, pier: Pier) -> Result<u8, Failure> {
    let survey = pier.survey();
    let setup = Setup {
        host: pier.host,
        account: pier.account,
        source: Source::Demo,
        look: Some(Box::new(move || Ok(survey.clone()))),
        probes: Probes::default(),
        root: None,
        world: pier.world,
        files: Box::new(pier.files),
        choose: Some(pier.choose),
        select: Some(pier.select),
        shipped: Some(pier.recording),
        open: pier.project,
    };
    open(args, setup, own_block())
}

/// Where the processes come from.
enum Source {
    Host,
    /// The file tree of another host: nothing runs there.
    Tree,
    Demo,
    Recording(PathBuf),
}

struct Setup {
    host: String,
    account: String,
    source: Source,
    /// Follows the host's routes.
    look: Option<Look>,
    /// What was seen of them.
    probes: Probes,
    /// Where the host's files lie.
    root: Option<PathBuf>,
    world: World,
    files: Box<dyn HostView + Send>,
    choose: Option<vectorum_core::Name>,
    select: Option<i32>,
    shipped: Option<&'static [u8]>,
    open: Vec<files::Source>,
}

fn open(args: &ScreenArgs, setup: Setup, own: Block) -> Result<u8, Failure> {
    let failed = |error: io::Error| Failure::io("the terminal", &error);
    let prints = fingerprinter()?;
    let (to, inbox) = channel();
    watch_signals(to.clone()).map_err(failed)?;
    let mut screen = Screen::take().map_err(failed)?;
    let size = screen.terminal.size().map_err(failed)?;
    let limits = kernel_limits();
    let theme = args.theme.settled();
    let opens_files = matches!(setup.source, Source::Host) && !setup.open.is_empty();
    let mut app = App::new(Start {
        host: setup.host,
        account: setup.account.clone(),
        nothing_now: match &setup.source {
            Source::Host => None,
            Source::Tree => Some("this is a file tree: nothing runs there"),
            Source::Demo => Some("the processes of this demo are made up: there is nothing to read now"),
            Source::Recording(_) => Some("a recording tells what was received, not what a process has now"),
        },
        world: setup.world,
        recording: matches!(setup.source, Source::Recording(_)).then(|| setup.account.clone()),
        shipped: setup.shipped,
        files: setup.open,
        screen: if setup.look.is_some() { app::Screen::Flow } else { app::Screen::Processes },
        root: setup.root,
        limits,
        prints: prints.clone(),
        theme: theme.unwrap_or(Theme::Dark),
        own_block: own,
        choose: setup.choose,
        select: setup.select,
        size: (size.width, size.height),
    });
    if opens_files {
        app.show_files();
    }
    screen.draw(&app).map_err(failed)?;
    // Asked after the first picture, and before keys are read: the answer comes as input.
    if theme.is_none() {
        app.theme = ask_background();
    }
    let jobs = work::worker(to.clone(), setup.files, prints, limits);
    let rescan = match setup.source {
        Source::Host => Some(work::scanner(to.clone())),
        Source::Recording(path) => Some(work::reader(to.clone(), path, 0)),
        Source::Tree | Source::Demo => {
            // A made-up host is read already; this starts what follows a scan.
            let _ = to.send(Message::ScanEnded);
            None
        }
    };
    let survey = setup.look.map(|look| work::surveyor(to.clone(), look));
    let input = Input::start(to.clone());
    let mut outside = Outside { screen, input, jobs, rescan, survey, probes: setup.probes, reader: None, traces: 0, to };
    outside.run(&mut app, &inbox).map_err(failed)
}

/// Starts the thread that reads a recording.
pub(crate) fn read_for_bench(to: Sender<Message>, path: &Path) -> Sender<()> {
    work::reader(to, path.to_owned(), 0)
}

/// Asks the terminal for its background.
fn ask_background() -> Theme {
    let mut options = QueryOptions::default();
    options.timeout = Duration::from_millis(600);
    match theme_mode(options) {
        Ok(ThemeMode::Light) => Theme::Light,
        _ => Theme::Dark,
    }
}

fn watch_signals(to: Sender<Message>) -> io::Result<()> {
    let mut signals = Signals::new([SIGTERM, SIGHUP])?;
    thread::spawn(move || {
        for _ in signals.forever() {
            if to.send(Message::Terminate).is_err() {
                return;
            }
        }
    });
    Ok(())
}

/// Everything that the state knows nothing of.
struct Outside {
    screen: Screen,
    input: Input,
    jobs: Sender<Job>,
    rescan: Option<Sender<()>>,
    survey: Option<Sender<()>>,
    probes: Probes,
    /// Keeps the reader of a trace's recording going.
    reader: Option<Sender<()>>,
    traces: u32,
    to: Sender<Message>,
}

impl Outside {
    /// Waits for a message, takes all that are waiting, draws once; until the end.
    fn run(&mut self, app: &mut App, inbox: &Receiver<Message>) -> io::Result<u8> {
        loop {
            self.screen.draw(app)?;
            let Ok(first) = inbox.recv() else { return Ok(0) };
            // What one frame can show is taken together; a flood must not keep the screen dark.
            for message in std::iter::once(first).chain(inbox.try_iter().take(256)) {
                for effect in app.update(message) {
                    if !self.carry_out(effect)? {
                        return Ok(0);
                    }
                }
            }
        }
    }

    /// Carries out an effect. Returns whether the program goes on.
    fn carry_out(&mut self, effect: Effect) -> io::Result<bool> {
        // A worker that is gone is noticed as an answer that does not come; keys work on.
        match effect {
            Effect::Quit => return Ok(false),
            Effect::Redraw => self.screen.terminal.clear()?,
            Effect::Rescan => {
                for again in [&self.rescan, &self.reader].into_iter().flatten() {
                    let _ = again.send(());
                }
            }
            Effect::Survey => {
                if let Some(survey) = &self.survey {
                    let _ = survey.send(());
                }
            }
            Effect::Edit { path, line } => {
                let told = self.lend(|| edit(&path, line))?;
                if let Some(why) = told {
                    let _ = self.to.send(Message::RunEnded(why));
                }
                // What was written there may decide otherwise now.
                if let Some(survey) = &self.survey {
                    let _ = survey.send(());
                }
            }
            Effect::Copy(text) => self.screen.copy(&text)?,
            Effect::Gloss(key) => {
                let _ = self.jobs.send(Job::Gloss(key));
            }
            Effect::ReadNow(pid) => {
                let _ = self.jobs.send(Job::Now(pid));
            }
            Effect::Find(world) => {
                let _ = self.jobs.send(Job::Find(world));
            }
            Effect::Suspend => self.lend(|| {
                let _ = kill(Pid::this(), Signal::SIGSTOP);
            })?,
            Effect::Trace { command, block } => {
                self.traces += 1;
                let started = work::trace_apart(&self.to, &command, &block, self.traces);
                let path = started.as_ref().ok().map(|t| t.recording.clone());
                let _ = self.to.send(Message::TraceStarted(started));
                if let Some(path) = path {
                    self.reader = Some(work::reader(self.to.clone(), path, self.traces));
                }
            }
            Effect::Replace { path, before, after } => {
                let written = replace_file(&path, &before, &after).map(|()| after).map_err(|e| e.to_string());
                let _ = self.to.send(Message::Replaced(path, written));
            }
            Effect::Export(leaving) => {
                let _ = self.to.send(Message::Exported(export::put(&leaving)));
            }
            Effect::EndTrace(group, by_force) => group.end(by_force),
            Effect::Probe { route, before, mut command, block } => {
                let inlet = Inlet::new();
                if let Ok(inlet) = &inlet {
                    command.extend([b"--into".to_vec(), inlet.path().into_bytes()]);
                }
                let mut ended = self.lend(|| run(&command, &block))?;
                if let (Some(seen), Some(before)) = (inlet.ok().and_then(Inlet::read), before) {
                    ended =
                        format!("{route} was probed: {} names arrived; ◉ marks what only the probe could tell", seen.block.len());
                    self.probes.keep(route, before, seen);
                }
                if let Some(survey) = &self.survey {
                    let _ = survey.send(());
                }
                let _ = self.to.send(Message::RunEnded(ended));
            }
            Effect::Run { command, block } => {
                let ended = self.lend(|| run(&command, &block))?;
                let _ = self.to.send(Message::RunEnded(ended));
            }
        }
        Ok(true)
    }

    fn lend<T>(&mut self, work: impl FnOnce() -> T) -> io::Result<T> {
        self.input.hold();
        let done = self.screen.lend(work);
        self.input.resume();
        let size = self.screen.terminal.size()?;
        // The terminal may have another size by now.
        let _ = self.to.send(Message::Resize(size.width, size.height));
        done
    }
}

/// Opens a file in the person's editor, as `VISUAL` or `EDITOR` names it, and waits for its end.
/// Returns what went wrong. Most editors take the line as `+LINE`.
fn edit(path: &Path, line: usize) -> Option<String> {
    let named = |name: &str| std::env::var(name).ok().and_then(|v| shlex::split(&v)).filter(|words| !words.is_empty());
    let words = named("VISUAL").or_else(|| named("EDITOR")).unwrap_or_else(|| {
        let there = ["editor", "nano", "vi"].into_iter().find(|p| Path::new("/usr/bin").join(p).exists());
        vec![there.unwrap_or("vi").to_owned()]
    });
    let mut command: Vec<Vec<u8>> = words.into_iter().map(String::into_bytes).collect();
    let what = inert(command.first().map_or(&b""[..], Vec::as_slice)).into_owned();
    if line > 0 {
        command.push(format!("+{line}").into_bytes());
    }
    command.push(std::os::unix::ffi::OsStrExt::as_bytes(path.as_os_str()).to_vec());
    match run_to_end(&command, &own_block()) {
        Ok(Ending::Exited(0)) => None,
        Ok(Ending::Exited(status)) => Some(format!("{what} ended with exit status {status}")),
        Ok(Ending::Signalled(signal)) => Some(format!("{what} was ended by {signal}")),
        Err(error) => Some(format!("not edited: {error}; set VISUAL or EDITOR to your editor")),
    }
}

/// Runs a command on the whole terminal and waits for a key, so that what it printed can be read.
fn run(command: &[Vec<u8>], block: &Block) -> String {
    let what = inert(command.first().map_or(&b""[..], Vec::as_slice)).into_owned();
    let text = match run_to_end(command, block) {
        Ok(Ending::Exited(0)) => format!("{what} ended well"),
        Ok(Ending::Exited(status)) => format!("{what} ended with exit status {status}"),
        Ok(Ending::Signalled(signal)) => format!("{what} was ended by {signal}"),
        Err(error) => format!("not run: {error}"),
    };
    let mut out = io::stdout();
    // If the terminal is gone, nobody waits.
    let _ = write!(out, "\nvectorum: {text}; Enter goes back ").and_then(|()| out.flush());
    let _ = io::stdin().read_line(&mut String::new());
    text
}
