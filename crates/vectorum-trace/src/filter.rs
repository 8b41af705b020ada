//! The filter: which system calls the kernel tells a listener of (seccomp(2), seccomp_unotify(2)).
//!
//! Calls that start a program, and the one that ends a process. Everything else passes after a
//! handful of comparisons in the kernel.

use libc::{BPF_ABS, BPF_JEQ, BPF_JMP, BPF_JUMP, BPF_K, BPF_LD, BPF_RET, BPF_STMT, BPF_W, sock_filter};

/// What a call that the listener is told of does.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum Call {
    /// `execve(path, argv, envp)`.
    Exec,
    /// `execveat(folder, path, argv, envp, flags)`.
    ExecAt,
    /// `exit_group(status)`.
    Exit,
}

/// How a program calls the kernel.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) struct Convention {
    /// `AUDIT_ARCH_…` of `seccomp_data.arch`.
    arch: u32,
    /// Bytes of a pointer in the caller's memory.
    pub(crate) pointer: usize,
    calls: &'static [(u32, Call)],
}

const X32: u32 = 0x4000_0000;

/// The conventions of this kind of machine. The x32 numbers come under the 64-bit architecture.
#[cfg(target_arch = "x86_64")]
pub(crate) const CONVENTIONS: &[Convention] = &[
    Convention {
        arch: 0xc000_003e,
        pointer: 8,
        calls: &[
            (59, Call::Exec),
            (322, Call::ExecAt),
            (231, Call::Exit),
            (X32 | 520, Call::Exec),
            (X32 | 545, Call::ExecAt),
            (X32 | 231, Call::Exit),
        ],
    },
    Convention { arch: 0x4000_0003, pointer: 4, calls: &[(11, Call::Exec), (358, Call::ExecAt), (252, Call::Exit)] },
];

/// The conventions of this kind of machine.
#[cfg(target_arch = "aarch64")]
pub(crate) const CONVENTIONS: &[Convention] = &[
    Convention { arch: 0xc000_00b7, pointer: 8, calls: &[(221, Call::Exec), (281, Call::ExecAt), (94, Call::Exit)] },
    Convention { arch: 0x4000_0028, pointer: 4, calls: &[(11, Call::Exec), (387, Call::ExecAt), (248, Call::Exit)] },
];

/// Returns what a call does and how wide the caller's pointers are.
pub(crate) fn call(arch: u32, number: u32) -> Option<(Call, usize)> {
    let convention = CONVENTIONS.iter().find(|c| c.arch == arch)?;
    let (_, call) = convention.calls.iter().find(|(n, _)| *n == number)?;
    // An x32 program's numbers carry a mark, and its pointers are narrow.
    let narrow = convention.pointer == 8 && number & X32 != 0;
    Some((*call, if narrow { 4 } else { convention.pointer }))
}

/// Returns the filter's program.
pub(crate) fn program() -> Vec<sock_filter> {
    const ARCH: u32 = 4;
    const NUMBER: u32 = 0;
    let load = |at: u32| statement(BPF_LD | BPF_W | BPF_ABS, at);
    let give = |action: u32| statement(BPF_RET | BPF_K, action);
    let mut out = vec![load(ARCH)];
    for convention in CONVENTIONS {
        let calls = convention.calls.len() as u8;
        // Another architecture: over the number, the comparisons and the two answers.
        out.push(jump(convention.arch, 0, calls + 3));
        out.push(load(NUMBER));
        for (index, (number, _)) in convention.calls.iter().enumerate() {
            out.push(jump(*number, calls - index as u8, 0));
        }
        out.push(give(libc::SECCOMP_RET_ALLOW));
        out.push(give(libc::SECCOMP_RET_USER_NOTIF));
    }
    out.push(give(libc::SECCOMP_RET_ALLOW));
    out
}

#[allow(unsafe_code)]
fn statement(code: u32, k: u32) -> sock_filter {
    // SAFETY: builds a plain struct; libc marks its macros unsafe throughout.
    unsafe { BPF_STMT(code as u16, k) }
}

#[allow(unsafe_code)]
fn jump(k: u32, when: u8, otherwise: u8) -> sock_filter {
    // SAFETY: as above.
    unsafe { BPF_JUMP((BPF_JMP | BPF_JEQ | BPF_K) as u16, k, when, otherwise) }
}

#[cfg(test)]
mod tests {
    use super::*;

    /// Runs the program as the kernel does.
    fn verdict(arch: u32, number: u32) -> u32 {
        let program = program();
        let (mut at, mut loaded) = (0, 0);
        loop {
            let step = &program[at];
            at += 1;
            match u32::from(step.code) {
                code if code == BPF_LD | BPF_W | BPF_ABS => loaded = if step.k == 4 { arch } else { number },
                code if code == BPF_JMP | BPF_JEQ | BPF_K => at += usize::from(if loaded == step.k { step.jt } else { step.jf }),
                code if code == BPF_RET | BPF_K => return step.k,
                other => panic!("an instruction {other} that is not used"),
            }
        }
    }

    #[test]
    fn just_the_calls_of_the_table_are_told() {
        for convention in CONVENTIONS {
            for number in 0..700 {
                for number in [number, number | X32] {
                    let told = verdict(convention.arch, number) == libc::SECCOMP_RET_USER_NOTIF;
                    assert_eq!(told, call(convention.arch, number).is_some(), "{:x} {number:x}", convention.arch);
                }
            }
        }
        assert_eq!(verdict(0x1234, 59), libc::SECCOMP_RET_ALLOW, "an unknown architecture passes");
    }
}
