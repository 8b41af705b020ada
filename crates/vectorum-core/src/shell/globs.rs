//! The files that a pattern names, in the order of the shell.

use bytes::Bytes;

use super::expand::{Expanded, Field};
use super::machine::Machine;
use super::pattern::{Groups, Pattern};
use super::state::Content;
use super::syntax::*;
use super::value::Val;
use crate::host_view::Kind as FileKind;

impl Machine<'_> {
    /// The files that a pattern names, or the pattern itself.
    pub(super) fn paths(&mut self, field: &Field) -> Expanded<Vec<Bytes>> {
        let extended = self.live.as_ref().is_none_or(|s| {
            s.option("extglob") != Some(false) && field.text.iter().any(|b| b"#^~(".contains(b))
                || s.option("nullglob") != Some(false)
                || s.option("dotglob") != Some(false)
                || s.option("failglob") != Some(false)
        });
        if extended {
            return Err(self.doubt("patterns of file names work in another way here"));
        }
        let parts: Vec<(Vec<u8>, Vec<bool>)> = {
            let mut parts = vec![(Vec::new(), Vec::new())];
            for (byte, quoted) in field.text.iter().zip(&field.quoted()) {
                if *byte == b'/' {
                    parts.push((Vec::new(), Vec::new()));
                } else if let Some((text, quotes)) = parts.last_mut() {
                    text.push(*byte);
                    quotes.push(*quoted);
                }
            }
            parts
        };
        // What it begins with, as written and as seen from the root.
        let is_absolute = field.text.first() == Some(&b'/');
        let base = if is_absolute { Some(Bytes::new()) } else { self.live.as_ref().and_then(|s| s.folder.clone()) };
        let Some(base) = base else { return Err(self.doubt("the working folder is not known")) };
        let mut is_pattern = false;
        let mut found: Vec<(Vec<u8>, Vec<u8>)> = vec![(Vec::new(), base.to_vec())];
        for (index, (text, quoted)) in parts.iter().enumerate() {
            let lead: &[u8] = if index == 0 { b"" } else { b"/" };
            let has_signs = text.iter().zip(quoted).any(|(b, q)| !q && b"*?[".contains(b));
            let is_last = index + 1 == parts.len();
            let mut next = Vec::new();
            for (shown, real) in &found {
                if !has_signs {
                    let shown = [&shown[..], lead, text].concat();
                    let real = if text.is_empty() { real.clone() } else { [&real[..], b"/", text].concat() };
                    next.push((shown, real));
                    continue;
                }
                let pattern = Pattern::new(text, quoted, Groups::None).map_err(|_| self.doubt("a pattern of another kind"))?;
                if pattern.is_text() {
                    next.push(([&shown[..], lead, text].concat(), [&real[..], b"/", text].concat()));
                    continue;
                }
                is_pattern = true;
                let folder = if real.is_empty() { b"/".to_vec() } else { real.clone() };
                let Some(mut names) = self.ground.files.list(&folder) else {
                    match self.ground.files.kind(&folder) {
                        FileKind::Missing | FileKind::File | FileKind::Program => continue,
                        _ => {
                            if self.dialect == Dialect::Zsh {
                                self.fail_perhaps("zsh fails where a pattern names no file");
                            }
                            return Err(self.doubt("a folder may not be read"));
                        }
                    }
                };
                self.sort(&mut names)?;
                for name in names {
                    if name.starts_with(b".") && text.first() != Some(&b'.') {
                        continue;
                    }
                    if pattern.matches(&name).map_err(|_| self.doubt("a pattern of another kind"))? {
                        let path = [&real[..], b"/", &name].concat();
                        if is_last || self.ground.files.kind(&path) == FileKind::Folder {
                            next.push(([&shown[..], lead, &name].concat(), path));
                        }
                    }
                }
            }
            found = next;
            if found.len() > 5000 {
                return Err(self.doubt("a pattern names too many files"));
            }
        }
        if !is_pattern {
            // A bracket alone, as in the command of that name.
            return Ok(vec![field.text.clone().into()]);
        }
        let there: Vec<Bytes> = found
            .into_iter()
            .filter(|(_, real)| self.ground.files.kind(real) != FileKind::Missing)
            .map(|(shown, _)| shown.into())
            .collect();
        if there.is_empty() {
            if self.is_own_zsh() {
                if self.is_for_child {
                    self.child_failed = true;
                } else {
                    self.fail_hard();
                }
                return Err(self.doubt("zsh fails where a pattern names no file"));
            }
            return Ok(vec![field.text.clone().into()]);
        }
        Ok(there)
    }

    /// Puts names in the order of the locale, which is certain for the C locale, or where it makes no
    /// difference.
    pub(super) fn sort(&mut self, names: &mut [Bytes]) -> Expanded<()> {
        names.sort();
        if self.dialect == Dialect::Dash {
            return Ok(());
        }
        let mut locale = None;
        for name in ["LC_ALL", "LC_COLLATE", "LANG"] {
            match self.content_of(name.as_bytes()) {
                Content::Set(Val::Known(text)) if !text.is_empty() => {
                    locale = Some(text);
                    break;
                }
                Content::Unset | Content::Set(Val::Known(_)) => {}
                _ => {
                    return if is_plain_order(names) {
                        Ok(())
                    } else {
                        Err(self.doubt("the order of file names depends on the locale"))
                    };
                }
            }
        }
        let is_plain = locale.is_none_or(|l| l == "C" || l == "POSIX" || l.starts_with(b"C."));
        if is_plain || is_plain_order(names) { Ok(()) } else { Err(self.doubt("the order of file names depends on the locale")) }
    }
}

/// Whether names stand in the same order in every locale: only lower-case letters and digits differ.
fn is_plain_order(names: &[Bytes]) -> bool {
    names.iter().all(|n| n.iter().all(|b| b.is_ascii_lowercase() || b.is_ascii_digit() || *b == b'.'))
        && names.iter().all(|n| memchr::memchr(b'.', n) == memchr::memrchr(b'.', n))
}
