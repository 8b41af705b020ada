//! Which shapes of zsh's own may set names or be refused, of those that are not followed (zshexpn(1), «Parameter Expansion»).

use super::super::parameter::is_number;
use super::super::parse::{is_name, is_name_start};
use super::super::reference::{ODD_SETTING_SHAPE, ODD_SHAPE, OWN_SHAPE, SETTING_SHAPE, closing};
use super::super::words::closing_brace;

/// What a parameter of zsh's own shape is, from its brace on: whether it may set names, or be refused.
pub(in super::super) fn shape_of(text: &[u8]) -> &'static str {
    shape_within(text, 0)
}

/// More of them in each other are not looked into.
const DEEPEST: usize = 20;

fn shape_within(text: &[u8], depth: usize) -> &'static str {
    if depth > DEEPEST {
        return ODD_SETTING_SHAPE;
    }
    let mut rest = text.strip_prefix(b"{").unwrap_or(text);
    let (mut is_odd, mut has_keys) = (false, false);
    if rest.starts_with(b"(") {
        let (flags, behind) = rest.split_at(memchr::memchr(b')', rest).map_or(0, |at| at + 1));
        // How something is quoted is told once.
        let has = |sign: u8| flags.contains(&sign);
        is_odd =
            has(b'q') && (has(b'b') || flags.windows(2).any(|two| two[0] == b'q' && b"+-".contains(&two[1])) && flags.len() > 4);
        has_keys = has(b'k') || has(b'v');
        is_odd |= !are_flags(flags.get(1..).unwrap_or_default());
        rest = behind;
    }
    let marks = rest.iter().take_while(|b| b"^=~+#".contains(b)).count();
    let has_marks = rest.iter().take(marks).any(|mark| *mark != b'=');
    let is_asked = rest.iter().take(marks).any(|mark| *mark == b'+');
    rest = rest.get(marks..).unwrap_or_default();
    let (length, inner) = match rest {
        [b'$', inner @ ..] if inner.starts_with(b"{") => {
            let length = closing_brace(inner.get(1..).unwrap_or_default()) + 2;
            (length + 1, inner.get(..length).map(|inner| shape_within(inner, depth + 1)))
        }
        [b'$', b'(', inner @ ..] => (memchr::memchr(b')', inner).map_or(0, |at| at + 3), None),
        [b'@' | b'*' | b'?' | b'-' | b'$' | b'!', ..] => (1, None),
        rest => (rest.iter().take_while(|b| is_name(**b)).count(), None),
    };
    let (name, mut rest) = rest.split_at(length.min(rest.len()));
    let is_plain = name.first().is_some_and(|b| is_name_start(*b)) && !has_marks && !rest.starts_with(b"[");
    // Of keys no part is taken.
    is_odd |= has_keys && rest.starts_with(b"[");
    while rest.starts_with(b"[")
        && let Some(close) = closing(rest)
    {
        rest = rest.get(close + 1..).unwrap_or_default();
    }
    let sets = rest.starts_with(b"=") || rest.starts_with(b"::=") || memchr::memmem::find(text, b":=").is_some();
    match (rest, inner) {
        _ if sets && is_plain => SETTING_SHAPE,
        _ if sets => ODD_SETTING_SHAPE,
        (_, Some(inner)) if inner != OWN_SHAPE => inner,
        _ if is_asked || is_odd => ODD_SHAPE,
        // Of nothing only what stands instead is asked for, and what has a sign for a name ends there.
        ([b':', b'-' | b'+', ..] | [] | [b'}'], _) if name.is_empty() => OWN_SHAPE,
        _ if name.is_empty() => ODD_SHAPE,
        ([letter, ..], _) if is_name(*letter) => ODD_SHAPE,
        ([b'?', ..] | [b':', b'?', ..], _) => ODD_SHAPE,
        ([b':', b'-' | b'+' | b'#' | b'/', ..], _) => OWN_SHAPE,
        ([b':', rest @ ..], _) if are_modifiers(rest) => OWN_SHAPE,
        ([] | [b'}' | b'#' | b'%' | b'/' | b'-' | b'+', ..], _) => OWN_SHAPE,
        _ => ODD_SHAPE,
    }
}

/// Whether what stands behind a colon are modifiers of zsh's that it takes alone, or a part of a text told by numbers.
fn are_modifiers(text: &[u8]) -> bool {
    let text = text.strip_suffix(b"}").unwrap_or(text);
    let is_exchange = text.starts_with(b"s/") || text.starts_with(b"gs/");
    let is_modifier = |part: &[u8]| matches!(part, [letter] if b"aAhtreluqQP".contains(letter)) || is_number(part);
    is_exchange || text.split(|b| *b == b':').all(is_modifier)
}

/// Whether a text begins with flags of zsh's, up to the parenthesis that closes them (zshexpn(1), «Parameter Expansion
/// Flags»).
pub(in super::super) fn are_flags(text: &[u8]) -> bool {
    let mut at = 0;
    while let Some(letter) = text.get(at) {
        at += 1;
        match letter {
            b')' => return true,
            // What they take stands between two signs alike, or in brackets; widths take two more of them.
            b'g' | b'j' | b'l' | b'r' | b's' | b'I' => {
                let most = if b"lr".contains(letter) { 3 } else { 1 };
                let opens = text.get(at).copied();
                for count in 0..most {
                    if count > 0 && text.get(at).copied() != opens {
                        break;
                    }
                    let close = match text.get(at) {
                        Some(b'(') => b')',
                        Some(b'[') => b']',
                        Some(b'{') => b'}',
                        Some(b'<') => b'>',
                        Some(sign) => *sign,
                        None => return false,
                    };
                    let rest = text.get(at + 1..).unwrap_or_default();
                    let Some(length) = memchr::memchr(close, rest) else { return false };
                    // Escapes are asked for by their letters, widths and places are sums.
                    if *letter == b'g' && !rest.get(..length).is_some_and(|asked| asked.iter().all(|b| b"eoc".contains(b))) {
                        return false;
                    }
                    let is_number =
                        rest.get(..length).is_some_and(|number| !number.is_empty() && number.iter().all(u8::is_ascii_digit));
                    if count == 0 && b"lrI".contains(letter) && !is_number {
                        return false;
                    }
                    at += length + 2;
                }
            }
            b'q' => at += usize::from(text.get(at).is_some_and(|sign| b"-+".contains(sign))),
            letter if b"#%@AabcCDeFfiknNoOPQtuUvVwWXz0pBEMRSLm~*".contains(letter) => {}
            _ => return false,
        }
    }
    false
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn shapes_of_zshs_own_may_set_names_or_be_refused() {
        for (text, shape) in [
            ("{(%):-%n}", OWN_SHAPE),
            ("{(j:, :)L}", OWN_SHAPE),
            ("{(k)commands}", OWN_SHAPE),
            ("{(M)${(f)X}:#a*}", OWN_SHAPE),
            ("{${(%):-%x}:A:h}", OWN_SHAPE),
            ("{X:gs/a/b/}", OWN_SHAPE),
            ("{X:-1:2}", OWN_SHAPE),
            ("{X:w}", ODD_SHAPE),
            ("{(i)N?no}", ODD_SHAPE),
            ("{(U)${X?no}[1]}", ODD_SHAPE),
            ("{(q+b)X}", ODD_SHAPE),
            ("{(k)L[1,2]}", ODD_SHAPE),
            ("{(u)+X}", ODD_SHAPE),
            ("{(S)#a*}", ODD_SHAPE),
            ("{(A)L=a b}", SETTING_SHAPE),
            ("{(A)L::=a b}", SETTING_SHAPE),
            ("{(P)^X[1]::=a}", ODD_SETTING_SHAPE),
            ("{(U)${X:=a}}", ODD_SETTING_SHAPE),
        ] {
            assert_eq!(shape_of(text.as_bytes()), shape, "{text}");
        }
    }
}
