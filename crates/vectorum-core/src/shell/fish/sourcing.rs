//! What fish runs in itself: files, what is handed to `source`, and functions that lie in files of their own.

use super::super::outputs::PRINTED_NAMES;
use super::*;

impl Fish<'_> {
    pub(super) fn source(&mut self, known: Option<&[Bytes]>) {
        let Some(words) = known else { return self.runs_anything("what is run is not known") };
        let arguments: Vec<Val> = words.iter().skip(1).cloned().map(Val::Known).collect();
        match words.first() {
            Some(option) if option.len() > 1 && option.starts_with(b"-") => match &option[..] {
                b"--" => self.runs_anything("a file that is run behind an option"),
                _ => self.doubt_status("an option that is not followed"),
            },
            Some(path) if path != &b"-"[..] => {
                let path = self.full(path);
                match self.ground.files.kind(&path) {
                    Kind::File | Kind::Program => self.through(|m| m.run_file(&path, Some(&arguments))),
                    Kind::Unknown => self.runs_anything("a file that is run may not be read"),
                    _ => self.set_status(1),
                }
            }
            _ => {
                let input = self.live.as_ref().map(|s| s.input.text.clone());
                match input {
                    Some(Val::Known(text)) => {
                        let fixed = Some(self.source.line(self.at));
                        let source = Source { fixed, ..Source::new(self.source.path.clone(), text) };
                        // It was read to its end.
                        self.within(|m| {
                            if let Some(state) = &mut m.live {
                                state.input.text = Val::of(b"");
                            }
                            m.run_source(&Arc::new(source), Some(&arguments));
                        });
                    }
                    text => match text.as_ref().and_then(|text| text.doubt()?.sets) {
                        Some(names) => self.set_by_output(names),
                        None => self.runs_anything("what is run is not known"),
                    },
                }
            }
        }
    }

    /// Anything is run, which may leave the function that runs it.
    pub(super) fn runs_anything(&mut self, why: &'static str) {
        let doubt = self.doubt(why);
        self.fog(why);
        if self.frames.iter().any(|frame| frame.kind == Leaves::Function) {
            self.fork(&doubt, Self::return_from, |_| {});
        }
    }

    /// The output of a program is run that sets these names and no others.
    pub(super) fn set_by_output(&mut self, names: &[&str]) {
        for name in names {
            let doubt = self.doubt(PRINTED_NAMES);
            self.put_var(name.as_bytes(), Some(Kept::Global), Err(doubt), Some(true), None);
            // Whether it sets them all only it knows.
            self.blur(name.as_bytes(), PRINTED_NAMES);
        }
        self.doubt_status(PRINTED_NAMES);
    }
}

#[cfg(test)]
mod tests {
    use crate::shell::trial::hold_fish;

    #[test]
    fn texts_and_functions_run_in_the_shell_itself() {
        hold_fish(&[
            ("eval 'set -gx OUT 1'", "1"),
            ("eval 'set X 1'; set -gx OUT \"-$X-\"", "-1-"),
            ("eval 'set -l X 1'; set -gx OUT \"-$X-\"", "-1-"),
            ("eval 'false'; set -gx OUT $status", "1"),
            ("eval ''; set -gx OUT $status", "0"),
            ("eval 'X=6'; set -gx OUT $status", "123"),
            ("eval 'if true'; set -gx OUT $status", "123"),
            ("eval 'end'; set -gx OUT $status", "123"),
            ("eval set -gx OUT a b", "a b"),
            ("eval 'function f; set -gx OUT 1; end'; f", "1"),
            ("function f; eval 'return 3'; set -g X 1; end; f; set -gx OUT \"$status=$X=\"", "3=="),
            ("function f; f; echo b; end; f; set -gx OUT $status", "1"),
            ("function f; X=6 f; set -g B 1; end; f; set -gx OUT \"$status=$B=\"", "1=="),
            ("function f; true; f2; end; function f2; set -gx OUT 1; end; f", "1"),
            ("function f; set -l X 1; g; end; function g; set -gx OUT \"-$X-\"; end; f", "--"),
            ("function f --no-scope-shadowing; set X 2; end; set X 1; f; set -gx OUT $X", "2"),
            ("function f; set X 2; end; set X 1; f; set -gx OUT $X", "2"),
            ("function f; set -gx OUT (count $argv); end; f a 'b c' ''", "3"),
            ("function f -a x y; set -gx OUT \"$y-$x\"; end; f a b", "b-a"),
        ]);
    }
}
