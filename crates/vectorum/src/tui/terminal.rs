//! The terminal: taken over, given back whatever happens, and what people do with it.

use std::io::{self, Stdout, Write, stdout};
use std::panic;
use std::sync::atomic::{AtomicBool, Ordering};
use std::sync::mpsc::Sender;
use std::sync::{Arc, Condvar, Mutex, PoisonError};
use std::thread;
use std::time::Duration;

use ratatui::Terminal;
use ratatui::backend::CrosstermBackend;
use ratatui::crossterm::event::{
    self, DisableBracketedPaste, DisableMouseCapture, EnableBracketedPaste, EnableMouseCapture, Event, KeyEventKind,
};
use ratatui::crossterm::terminal::{
    BeginSynchronizedUpdate, EndSynchronizedUpdate, EnterAlternateScreen, LeaveAlternateScreen, disable_raw_mode,
    enable_raw_mode, size,
};
use ratatui::crossterm::{cursor, execute};

use super::app::{App, Message};

static IS_TAKEN: AtomicBool = AtomicBool::new(false);

/// The terminal while it is ours. Dropping it gives it back.
pub(crate) struct Screen {
    pub(crate) terminal: Terminal<CrosstermBackend<Stdout>>,
}

fn enter() -> io::Result<()> {
    enable_raw_mode()?;
    IS_TAKEN.store(true, Ordering::SeqCst);
    execute!(stdout(), EnterAlternateScreen, EnableMouseCapture, EnableBracketedPaste)
}

/// Gives the terminal back, once.
fn leave() {
    if IS_TAKEN.swap(false, Ordering::SeqCst) {
        // Nothing more can be done for a terminal that takes no bytes.
        let _ = execute!(stdout(), DisableBracketedPaste, DisableMouseCapture, LeaveAlternateScreen, cursor::Show);
        let _ = disable_raw_mode();
    }
}

impl Screen {
    /// Takes the terminal over. A panic gives it back before its message is printed.
    pub(crate) fn take() -> io::Result<Screen> {
        let before = panic::take_hook();
        panic::set_hook(Box::new(move |info| {
            leave();
            before(info);
        }));
        // An error on the way must not leave the terminal half taken.
        enter()
            .and_then(|()| Terminal::new(CrosstermBackend::new(stdout())))
            .map(|terminal| Screen { terminal })
            .inspect_err(|_| leave())
    }

    /// Draws the state. Terminals that can (private mode 2026) show it all at once.
    pub(crate) fn draw(&mut self, app: &App) -> io::Result<()> {
        execute!(stdout(), BeginSynchronizedUpdate)?;
        self.terminal.draw(|frame| super::draw::draw(app, frame))?;
        execute!(stdout(), EndSynchronizedUpdate)
    }

    /// Gives the terminal to somebody else for the time of `work`.
    pub(crate) fn lend<T>(&mut self, work: impl FnOnce() -> T) -> io::Result<T> {
        leave();
        let done = work();
        enter()?;
        self.terminal.clear()?;
        Ok(done)
    }

    /// Gives text to the terminal's clipboard (the control sequence OSC 52).
    pub(crate) fn copy(&mut self, text: &[u8]) -> io::Result<()> {
        use base64::Engine;
        let mut out = stdout();
        write!(out, "\x1b]52;c;{}\x1b\\", base64::prelude::BASE64_STANDARD.encode(text))?;
        out.flush()
    }
}

impl Drop for Screen {
    fn drop(&mut self) {
        leave();
    }
}

/// The thread that reads keys and clicks; it can be held while another program has the terminal.
pub(crate) struct Input {
    state: Arc<(Mutex<Hold>, Condvar)>,
}

#[derive(Clone, Copy, Debug, PartialEq, Eq)]
enum Hold {
    Reading,
    Asked,
    Held,
}

impl Input {
    /// Starts reading.
    pub(crate) fn start(to: Sender<Message>) -> Input {
        let state = Arc::new((Mutex::new(Hold::Reading), Condvar::new()));
        let shared = Arc::clone(&state);
        thread::spawn(move || {
            // The first look begins to watch the size; what it was before must be asked for.
            let began = event::poll(Duration::ZERO).and_then(|_| size());
            if let Ok((width, height)) = began {
                let _ = to.send(Message::Resize(width, height));
            }
            while wait_while_held(&shared) {
                let sent = match event::poll(Duration::from_millis(50)) {
                    Ok(false) => Ok(()),
                    Ok(true) => match event::read() {
                        Ok(event) => message(event).map_or(Ok(()), |m| to.send(m)),
                        Err(_) => to.send(Message::Terminate),
                    },
                    Err(_) => to.send(Message::Terminate),
                };
                if sent.is_err() {
                    return;
                }
            }
        });
        Input { state }
    }

    /// Stops reading until [`Input::resume`]; returns when nothing more is read.
    pub(crate) fn hold(&self) {
        let (lock, changed) = &*self.state;
        let mut state = lock.lock().unwrap_or_else(PoisonError::into_inner);
        *state = Hold::Asked;
        while *state != Hold::Held {
            // The thread answers within its poll; a dead one never reads again.
            let (next, timeout) = changed.wait_timeout(state, Duration::from_secs(1)).unwrap_or_else(PoisonError::into_inner);
            state = next;
            if timeout.timed_out() {
                return;
            }
        }
    }

    /// Reads on.
    pub(crate) fn resume(&self) {
        let (lock, changed) = &*self.state;
        *lock.lock().unwrap_or_else(PoisonError::into_inner) = Hold::Reading;
        changed.notify_all();
    }
}

fn wait_while_held(shared: &(Mutex<Hold>, Condvar)) -> bool {
    let (lock, changed) = shared;
    let mut state = lock.lock().unwrap_or_else(PoisonError::into_inner);
    while *state != Hold::Reading {
        *state = Hold::Held;
        changed.notify_all();
        state = changed.wait(state).unwrap_or_else(PoisonError::into_inner);
    }
    true
}

fn message(event: Event) -> Option<Message> {
    match event {
        Event::Key(key) if key.kind != KeyEventKind::Release => Some(Message::Key(key)),
        Event::Mouse(mouse) => Some(Message::Mouse(mouse)),
        Event::Paste(text) => Some(Message::Paste(text)),
        Event::Resize(width, height) => Some(Message::Resize(width, height)),
        _ => None,
    }
}
