//! What a shell hands on, against what it was handed: what lines decided, what it changed by itself, what is gone.

use bytes::Bytes;

use super::content::{Content, Var};
use super::decided::Decided;
use super::handed::Handed;
use super::machine::Outcome;
use super::startup::{Invocation, Last, Payload, Started};
use super::state::State;
use super::syntax::Dialect;
use super::value::{Doubt, Val};
use crate::reader::is_portable;

/// The text that a variable would be handed on with, and whether it may not be set.
fn text_of(var: &Var, dialect: Dialect) -> Option<(Val, bool)> {
    match &var.content {
        Content::Unset => None,
        Content::Set(_) if var.is_pending => None,
        Content::Set(value) => Some((value.clone(), false)),
        Content::Perhaps(value) => Some((value.clone(), true)),
        // Lists are not handed on: in bash and ksh their first item is not either.
        Content::Array(values) if matches!(dialect, Dialect::Ksh | Dialect::Mksh) => values.first().map(|v| (v.clone(), true)),
        Content::Array(_) | Content::Table(_) => None,
    }
}

/// Whether a line decided what is handed on of a variable, whatever was handed in.
fn is_decided(name: &[u8], var: &Var) -> bool {
    // How deep the shell lies is counted at the end, too.
    var.site.is_some() && var.exported == Some(true) && !matches!(name, b"_" | b"SHLVL")
}

/// What lines decided of what is handed on.
pub(super) fn decided(outcome: &Outcome, dialect: Dialect) -> Decided {
    let changed = outcome.state.iter().flat_map(|state| state.vars.changed().map(|name| (name, state.vars.at_last(name))));
    let last = changed.map(|(name, var)| {
        let var = var.filter(|var| is_decided(name, var));
        let last = var.and_then(|var| {
            let (value, may_be_absent) = text_of(&var, dialect)?;
            Some(Last::new(value, may_be_absent, var.site.clone()))
        });
        (name, last)
    });
    Decided::of(last, &outcome.log)
}

/// Compares what is handed on with what was handed in.
pub(super) fn settle(outcome: Outcome, start: &Handed, invocation: &Invocation) -> Started {
    let Outcome { state, ended, end, log, decided, skipped, read, startup, successor } = outcome;
    let mut started = Started { ended, end, log, decided, skipped, read, startup, successor, ..Started::default() };
    let Some(state) = state else { return started };
    started.open = state.open.clone();
    let keeps_odd = !matches!(invocation.dialect, Dialect::Dash | Dialect::Mksh);
    if !keeps_odd {
        started.gone.extend(start.names().filter(|name| !is_portable(name)).map(|name| (name.clone(), None)));
    }
    let mut changed = Vec::new();
    let (mut gone, mut kept, mut removed) = (Vec::new(), Vec::new(), Vec::new());
    for name in state.vars.others(started.decided.others()) {
        let Some(var) = state.vars.at_last(name) else {
            if is_portable(name) && start.contains(name) {
                removed.push(name.clone());
            }
            continue;
        };
        if name == "_" {
            continue;
        }
        let value = text_of(&var, invocation.dialect);
        // What it was is asked only where it may be the same.
        let was = || start.get(name).map(|(value, _)| value);
        let is_same = || {
            let before = state.vars.at_first(name);
            before.is_some_and(|before| before.content == var.content && before.exported == var.exported)
        };
        match (value, var.exported) {
            (Some((value, may_be_absent)), Some(true) | None) => {
                let may_be_absent = may_be_absent || var.exported.is_none();
                let is_as_handed = var.site.is_none() && is_same() && was().as_ref() == Some(&value);
                // What the shell keeps for itself, and nothing but an unknown text may have exported, is
                // among the names that may be set, too.
                let is_own = || state.vars.at_first(name).is_some_and(|b| b.exported == Some(false)) && !start.contains(name);
                let is_only_open = var.exported.is_none() && value.known().is_none() && state.open.is_some() && is_own();
                if !is_as_handed && !is_only_open {
                    changed.push((name.clone(), Last::new(value, may_be_absent, var.site.clone())));
                }
            }
            (value, _) => {
                if start.contains(name) {
                    let site = started.log.of(name).next_back().map(|a| a.site.clone());
                    gone.push((name.clone(), site));
                }
                if value.is_some()
                    && var.exported == Some(false)
                    && let Some(site) = &var.site
                {
                    kept.push((name.clone(), site.clone()));
                }
            }
        }
    }
    gone.sort_by(|(a, _), (b, _)| a.cmp(b));
    kept.sort_by(|(a, _), (b, _)| a.cmp(b));
    started.gone.append(&mut gone);
    started.kept = kept;
    started.changed = changed.into_iter().collect();
    removed.sort();
    started.gone.extend(removed.into_iter().map(|name| (name, None)));
    last_level(&mut started, &state, invocation);
    started
}

/// bash and zsh count back down where they become their program.
fn last_level(started: &mut Started, state: &State, invocation: &Invocation) {
    let counts_back = match (invocation.dialect, &invocation.payload) {
        (Dialect::Bash, Payload::Becomes) | (Dialect::Zsh, Payload::Becomes | Payload::Forks) => true,
        (Dialect::Bash | Dialect::Zsh, Payload::Command) => {
            let why = Doubt::new("the shell counts one less where it becomes its last command", None);
            if let Some(last) = started.changed.get_mut(&b"SHLVL"[..]) {
                last.value = why.number();
            }
            return;
        }
        _ => false,
    };
    if !counts_back {
        return;
    }
    let now = state.vars.get(b"SHLVL").and_then(|v| v.content.value());
    if let Some(Val::Known(level)) = now {
        let number = std::str::from_utf8(&level).ok().and_then(|l| l.parse::<i64>().ok()).unwrap_or(1);
        let down = (number - 1).max(0).to_string();
        started.changed.insert(Bytes::from_static(b"SHLVL"), Last { value: Val::of(down), may_be_absent: false, site: None });
    }
}
