//! The other way to watch, where the kernel gives no listener: ptrace(2).
//!
//! Every process below the command is followed. The kernel stops each one right after its
//! `execve`, before the program's first instruction: what lies there then is what it received, so
//! every receipt is confirmed. The price: debuggers below the command do not work, since a process
//! can have one tracer only, and every signal takes a detour.

use std::collections::HashMap;
use std::fs::File;
use std::io::{self, BufWriter};
use std::time::Instant as Clock;

use vectorum_core::{Certainty, Exit, Received, split_arguments};
use vectorum_host::ProcFolder;

use crate::recording::{NewReceipt, Writer};
use crate::sys::{self, Stop};

/// Follows a process and all below it to the end. `ready` is called when it is being followed.
pub(crate) fn follow(
    pid: i32,
    mut proc: ProcFolder,
    mut writer: Writer<BufWriter<File>>,
    begun: Clock,
    ready: impl FnOnce(),
) -> io::Result<(Writer<BufWriter<File>>, u64)> {
    sys::seize(pid)?;
    ready();
    let mut running: HashMap<i32, u64> = HashMap::new();
    while let Some((pid, stop)) = sys::wait_any()? {
        match stop {
            Stop::Exec => {
                if let Some(seq) = receipt(pid, &mut proc, &mut writer, begun)? {
                    running.insert(pid, seq);
                }
                writer.flush()?;
                sys::go_on(pid, 0);
            }
            Stop::Exit(code) => {
                if let Some(seq) = running.remove(&pid) {
                    let exit = if code & 0x7f == 0 { Exit::Status((code >> 8) & 0xff) } else { Exit::Signal(code & 0x7f) };
                    writer.exit(seq, exit, begun.elapsed().as_millis() as u64)?;
                    writer.flush()?;
                }
                sys::go_on(pid, 0);
            }
            Stop::Signal(signal) => sys::go_on(pid, signal),
            Stop::Group => sys::stay_stopped(pid),
            Stop::Other => sys::go_on(pid, 0),
            Stop::Gone => {
                running.remove(&pid);
            }
        }
    }
    Ok((writer, begun.elapsed().as_millis() as u64))
}

fn receipt(pid: i32, proc: &mut ProcFolder, writer: &mut Writer<BufWriter<File>>, begun: Clock) -> io::Result<Option<u64>> {
    let at_ms = begun.elapsed().as_millis() as u64;
    let Ok((_, ppid)) = proc.instance(pid) else { return Ok(None) };
    let Ok(Some(seen)) = proc.observe(pid, None, None) else { return Ok(None) };
    let Received::Block(block) = &seen.received else { return Ok(None) };
    let argv = split_arguments(&seen.arguments);
    let path = proc.called_path(pid).unwrap_or_else(|| seen.exe.clone());
    let new = NewReceipt { pid, ppid, at_ms, exe: &seen.exe, path: &path, argv: &argv, certainty: Certainty::Confirmed, block };
    writer.receipt(&new).map(Some)
}
