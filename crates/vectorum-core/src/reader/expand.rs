//! `$NAME` and `${NAME}` as systemd's environment.d generator expands them.

/// Expands references. `get` returns a variable's value.
pub(super) fn expand(text: &[u8], get: &dyn Fn(&[u8]) -> Option<Vec<u8>>) -> Vec<u8> {
    expand_within(text, get, 0)
}

/// Deeper nested references stay as they are written: no real file has them.
const DEEPEST: usize = 32;

fn expand_within(text: &[u8], get: &dyn Fn(&[u8]) -> Option<Vec<u8>>, depth: usize) -> Vec<u8> {
    let mut out = Vec::with_capacity(text.len());
    let mut at = 0;
    while let Some(byte) = text.get(at).copied() {
        let next = text.get(at + 1).copied();
        match (byte, next) {
            (b'$', Some(b'$')) => {
                out.push(b'$');
                at += 2;
            }
            (b'$', Some(b'{')) => match braced(text, at, get, depth) {
                Some((value, end)) => {
                    out.extend(value);
                    at = end;
                }
                None => {
                    // An unclosed or odd one is text, and what follows its opening is looked at
                    // no more.
                    out.extend(text.get(at..at + 2).unwrap_or_default());
                    at += 2;
                }
            },
            (b'$', Some(next)) if super::is_word(next) => {
                let rest = text.get(at + 1..).unwrap_or_default();
                let length = rest.iter().position(|b| !super::is_word(*b)).unwrap_or(rest.len());
                out.extend(get(rest.get(..length).unwrap_or_default()).unwrap_or_default());
                at += 1 + length;
            }
            _ => {
                out.push(byte);
                at += 1;
            }
        }
    }
    out
}

/// Expands `${…}` at `at`; returns the value and where it ends.
fn braced(text: &[u8], at: usize, get: &dyn Fn(&[u8]) -> Option<Vec<u8>>, depth: usize) -> Option<(Vec<u8>, usize)> {
    let rest = text.get(at + 2..)?;
    let stop = rest.iter().position(|b| matches!(b, b'}' | b':'))?;
    let name = rest.get(..stop)?;
    let known = get(name);
    if rest.get(stop) == Some(&b'}') {
        return Some((known.unwrap_or_default(), at + 2 + stop + 1));
    }
    let is_default = match rest.get(stop + 1)? {
        b'-' => true,
        b'+' => false,
        _ => return None,
    };
    let word = rest.get(stop + 2..)?;
    let mut nest = 1;
    let end = word.iter().position(|b| {
        nest += i32::from(*b == b'{') - i32::from(*b == b'}');
        nest == 0
    })?;
    let word = word.get(..end)?;
    let expanded = || if depth < DEEPEST { expand_within(word, get, depth + 1) } else { word.to_vec() };
    let value = match (known, is_default) {
        (Some(value), true) => value,
        (None, true) | (Some(_), false) => expanded(),
        (None, false) => Vec::new(),
    };
    Some((value, at + 2 + stop + 2 + end + 1))
}
