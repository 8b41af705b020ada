//! The state in which this process was started, before Rust's runtime changes it.
//!
//! The runtime ignores SIGPIPE before `main`. A command that we become by `exec` must find the
//! disposition that our own parent left, so it is noted down before.

use std::sync::atomic::{AtomicBool, Ordering};

static PIPE_WAS_IGNORED: AtomicBool = AtomicBool::new(false);

/// Whether SIGPIPE was ignored when this process was started.
pub(crate) fn pipe_was_ignored() -> bool {
    PIPE_WAS_IGNORED.load(Ordering::Relaxed)
}

#[allow(unsafe_code)]
mod early {
    use super::{Ordering, PIPE_WAS_IGNORED};
    use nix::libc;

    extern "C" fn note_signals() {
        // SAFETY: all zeros are a valid sigaction, and sigaction(2) with a null second argument
        // only writes through the third, which points to a live local.
        unsafe {
            let mut action: libc::sigaction = std::mem::zeroed();
            if libc::sigaction(libc::SIGPIPE, std::ptr::null(), &mut action) == 0 {
                PIPE_WAS_IGNORED.store(action.sa_sigaction == libc::SIG_IGN, Ordering::Relaxed);
            }
        }
    }

    // SAFETY: the loader calls the functions of .init_array once, before main, on one thread; this
    // one allocates nothing and needs nothing of the runtime.
    #[used]
    #[unsafe(link_section = ".init_array")]
    static NOTE_SIGNALS: extern "C" fn() = note_signals;
}
