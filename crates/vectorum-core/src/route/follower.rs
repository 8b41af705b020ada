//! Follows all routes of an account at once: what several have in common is followed once.

use std::sync::Arc;
use std::thread;

use super::guess::{self, Guesses};
use super::path::{Route, Step};
use super::{Account, CONFIGURATION_DENIED, Forecast, Ground, POLICY_DENIED};
use crate::block::Block;
use crate::shell::Shells;

/// Follows routes of one state of a host for an account; what several begin with is followed once.
#[derive(Debug, Default)]
pub struct Follower {
    known: Vec<(Vec<Step>, Block, Forecast, Account)>,
    shells: Arc<Shells>,
}

impl Follower {
    /// Follows routes, one after the other. `start` tells with what block each begins.
    pub fn all(
        &mut self,
        routes: &[Route],
        ground: &Ground<'_>,
        account: &Account,
        start: impl Fn(&Route) -> Block + Sync,
    ) -> Vec<Forecast> {
        // What programs print is asked for on the routes that are there, not on guessed ones.
        let may_guess = ground.outputs.is_none() && ground.stops_at_shell.is_none();
        self.all_with(routes, ground, account, start, if may_guess { guess::other_cores() } else { 0 })
    }

    fn all_with(
        &mut self,
        routes: &[Route],
        ground: &Ground<'_>,
        account: &Account,
        start: impl Fn(&Route) -> Block + Sync,
        threads: usize,
    ) -> Vec<Forecast> {
        // What fish comes to mostly does not hang on how it is started.
        let is_other_start = |step: &Step| *step == Step::Terminal && !account.shell.ends_with(b"/fish");
        let is_guessed = |route: &&Route| match &route.0[..] {
            [_, .., Step::SudoLogin | Step::SuLogin(_)] => true,
            [Step::Login, step] => is_other_start(step),
            _ => false,
        };
        let guesses = Guesses::new(routes.iter().filter(is_guessed).collect());
        let shells = Arc::clone(&self.shells);
        let guess = |route: &Route| {
            let Some((last, before)) = route.0.split_last() else { return };
            let passing = Ground { passes_shells: true, ..*ground };
            let (forecast, account) = Route::follow(before, &passing, account, Forecast::begin(&start(route)));
            let ground = Ground { shells: Some(&shells), ..*ground };
            // What it comes to is kept with the shells.
            drop(Route::follow(std::slice::from_ref(last), &ground, &account, forecast));
        };
        thread::scope(|scope| {
            for _ in 0..threads.min(guesses.count()) {
                // Where no thread can be had, nothing is guessed.
                drop(thread::Builder::new().name("guessing".to_owned()).spawn_scoped(scope, || guesses.run(guess)));
            }
            let mut follow = |route: &Route| {
                guesses.settle(route);
                self.forecast(route, ground, account, &start(route))
            };
            routes.iter().map(&mut follow).collect()
        })
    }

    /// Follows a route.
    pub fn forecast(&mut self, route: &Route, ground: &Ground<'_>, account: &Account, start: &Block) -> Forecast {
        let Some((last, before)) = route.0.split_last() else { return Forecast::begin(start) };
        let shells = Arc::clone(&self.shells);
        let ground = &Ground { shells: Some(&shells), ..*ground };
        let mut found = self.whole(route, last, before, ground, account, start);
        let is_denied = found.open.as_ref().is_some_and(|(why, _)| [POLICY_DENIED, CONFIGURATION_DENIED].contains(why));
        if is_denied && !ground.assumes_stock {
            let ground = Ground { assumes_stock: true, ..*ground };
            found.assumed = Some(Box::new(Follower::default().forecast(route, &ground, account, start)));
        }
        found
    }

    fn whole(
        &mut self,
        route: &Route,
        last: &Step,
        before: &[Step],
        ground: &Ground<'_>,
        account: &Account,
        start: &Block,
    ) -> Forecast {
        if before.is_empty() {
            return self.prefix(&route.0, ground, account, start).0;
        }
        let (forecast, account) = self.prefix(before, ground, account, start);
        Route::follow(std::slice::from_ref(last), ground, &account, forecast).0
    }

    fn prefix(&mut self, steps: &[Step], ground: &Ground<'_>, account: &Account, start: &Block) -> (Forecast, Account) {
        let is_shared = matches!(steps, [Step::Login | Step::SshLogin | Step::UserManager, ..]);
        if let Some((.., forecast, account)) = self.known.iter().find(|(s, b, ..)| is_shared && s == steps && b == start) {
            return (forecast.clone(), account.clone());
        }
        let found = Route::follow(steps, ground, account, Forecast::begin(start));
        if is_shared {
            self.known.push((steps.to_vec(), start.clone(), found.0.clone(), found.1.clone()));
        }
        found
    }
}

#[cfg(test)]
mod tests {
    use super::super::shell_terminal;
    use super::*;
    use crate::host_view::MemoryTree;

    /// Starts that differ in what a shell's files never look at share what they come to; others do not.
    #[test]
    fn shells_that_start_alike_are_followed_once_and_come_to_the_same() {
        let mut tree = MemoryTree::default();
        let file = "export LANES=3; case $BERTH in 4) PIER=four ;; *) PIER=other ;; esac\nexport PIER\n\
                    [ -z \"$TIDE\" ] || { export SEEN=$TIDE; eval \"$(tide-table)\"; }\n";
        tree.file("/home/odile/.profile", file, false);
        let [_, account] = Account::made_up("/bin/bash");
        let accounts = [account.clone()];
        let ground = Ground::new(&tree, &accounts);
        let shells = Shells::default();
        for (block, pier, gate, is_open) in [
            (vec![("TERM", "linux"), ("BERTH", "4")], "four", None, false),
            (vec![("TERM", "vt220"), ("BERTH", "4"), ("GATE", "7")], "four", Some("7"), false),
            (vec![("TERM", "vt220"), ("BERTH", "5")], "other", None, false),
            (vec![("TERM", "linux"), ("GATE", "8")], "other", Some("8"), false),
            (vec![("TERM", "linux"), ("BERTH", "4"), ("TIDE", "high"), ("GATE", "9")], "", None, true),
            // What is set anew is alike whatever it was, if it was there.
            (vec![("TERM", "linux"), ("BERTH", "4"), ("PIER", "old"), ("SHLVL", "1")], "four", None, false),
            (vec![("TERM", "linux"), ("BERTH", "4"), ("PIER", "older"), ("SHLVL", "3"), ("GATE", "7")], "four", Some("7"), false),
            // What is exported with a value is alike whether it was there or not.
            (vec![("TERM", "linux"), ("BERTH", "4"), ("LANES", "2")], "four", None, false),
            // Like the first one, but for what the shell itself looks at.
            (vec![("TERM", "linux"), ("BERTH", "4"), ("SHELLOPTS", "errexit")], "four", None, false),
        ] {
            let start = Block::from_vars(block.clone());
            // What is handed in by login's own rules is not in question here.
            let mut begun = Forecast::begin(&start);
            let ground = Ground { shells: Some(&shells), ..ground };
            shell_terminal(&mut begun, &ground, b"/bin/bash", true, &account, b"/home/odile");
            let mut alone = Forecast::begin(&start);
            shell_terminal(&mut alone, &Ground { shells: None, ..ground }, b"/bin/bash", true, &account, b"/home/odile");
            let all = |f: &Forecast| f.vars().map(|(n, v)| (n.clone(), v.clone())).collect::<Vec<_>>();
            assert_eq!((all(&begun), begun.open.is_some()), (all(&alone), is_open), "{block:?}");
            if !is_open {
                let text = |name: &str| begun.known(name.as_bytes()).map(|v| String::from_utf8_lossy(v).into_owned());
                assert_eq!((text("PIER").as_deref(), text("GATE").as_deref()), (Some(pier), gate), "{block:?}");
            }
        }
        // The second one, the seventh and the eighth needed nothing new.
        assert_eq!(shells.count(), 6);
    }

    /// What hangs on which names there are is not taken over from where there were others.
    #[test]
    fn names_that_are_listed_are_listed_anew() {
        for (shell, file, text) in [
            ("/bin/bash", "/home/odile/.profile", "for name in ${!BERTH_@}; do export LAST=$name; done\n"),
            ("/bin/bash", "/home/odile/.profile", "unset ${!BERTH_*}; export LAST=none\n"),
            ("/bin/zsh", "/home/odile/.zshenv", "unset -m 'BERTH_*'; export LAST=none\n"),
        ] {
            let mut tree = MemoryTree::default();
            tree.file(file, text, false);
            let [_, account] = Account::made_up(shell);
            let accounts = [account.clone()];
            let shells = Shells::default();
            for block in [vec![("BERTH_1", "a")], vec![("BERTH_1", "b")], vec![("BERTH_2", "a")], vec![], vec![("GATE", "7")]] {
                let come_to = |shells| {
                    let mut begun = Forecast::begin(&Block::from_vars(block.clone()));
                    let ground = Ground { shells, ..Ground::new(&tree, &accounts) };
                    shell_terminal(&mut begun, &ground, shell.as_bytes(), true, &account, b"/home/odile");
                    begun.vars().map(|(n, v)| (n.clone(), v.held.clone())).collect::<Vec<_>>()
                };
                assert_eq!(come_to(Some(&shells)), come_to(None), "{text}: {block:?}");
            }
        }
    }

    /// What root's shells come to is the same whether it was guessed or not, and if the guess was wrong.
    #[test]
    fn what_is_guessed_is_what_is_followed() {
        let accounts = Account::made_up("/bin/bash");
        for (roots, own, lane) in [
            ("export LANE=3", "export TERM=dumb", Some("3")),
            ("export LANE=$TERM", "export TERM=dumb", Some("dumb")),
            ("[ \"$LC_TIME\" ] || exit", "export LC_TIME=C", None),
            ("eval \"$LC_TIME\"", "export LC_TIME='LANE=7; export LANE'", Some("7")),
            (". ~/none; export LANE=${PATH%%:*}", "PATH=/opt:$PATH", Some("/usr/sbin")),
        ] {
            let mut tree = MemoryTree::default();
            tree.file("/etc/profile", "export PIER=4\n", false);
            tree.file("/root/.profile", roots, false);
            tree.file("/home/odile/.profile", own, false);
            let policy = "Defaults env_keep += \"LC_TIME PIER\", secure_path=/usr/sbin:/bin\nodile ALL=(ALL:ALL) ALL\n";
            tree.file("/etc/sudoers", policy, false);
            let ground = Ground::new(&tree, &accounts);
            let routes = Route::all(&ground, &accounts[1]);
            let all = |threads| {
                let start = |_: &Route| Block::from_vars([("TERM", "linux")]);
                let found = Follower::default().all_with(&routes, &ground, &accounts[1], start, threads);
                let told =
                    |f: &Forecast| format!("{:?} {:?} {:?} {:?}", f.vars, f.open, f.reached, f.events.all().collect::<Vec<_>>());
                found.iter().map(told).collect::<Vec<_>>()
            };
            let without = all(0);
            (0..20).for_each(|round| assert_eq!(all(round % 3), without, "{roots}"));
            let found = Follower::default().all(&routes, &ground, &accounts[1], |_| Block::from_vars([("TERM", "linux")]));
            let at = routes.iter().position(|r| r.to_string() == "login/sudo-login").expect("a route");
            let text = |name: &str| found[at].known(name.as_bytes()).map(|v| String::from_utf8_lossy(v).into_owned());
            assert_eq!((text("LANE").as_deref(), text("PIER").as_deref()), (lane, Some("4")), "{roots}");
        }
    }

    /// Another PATH that leads to the same programs is alike.
    #[test]
    fn where_programs_lie_is_what_counts_of_a_path() {
        let mut tree = MemoryTree::default();
        tree.file("/usr/bin/tide-table", "", true);
        tree.file("/opt/berth/tide-table", "", true);
        tree.file("/home/odile/.profile", "TIDES=$(command -v tide-table) && export TIDES\nexport GATE=7\n", false);
        let [_, account] = Account::made_up("/bin/bash");
        let accounts = [account.clone()];
        let shells = Shells::default();
        let ground = Ground { shells: Some(&shells), ..Ground::new(&tree, &accounts) };
        for (path, tides, count) in [
            ("/usr/bin:/bin", Some("/usr/bin/tide-table"), 1),
            ("/bin:/usr/bin", Some("/usr/bin/tide-table"), 1),
            ("/opt/berth:/usr/bin", Some("/opt/berth/tide-table"), 2),
            ("/bin", None, 3),
            ("/sbin", None, 3),
            // This one hangs on the working folder.
            ("bin:/usr/bin", Some("/usr/bin/tide-table"), 4),
        ] {
            let mut begun = Forecast::begin(&Block::from_vars([("PATH", path)]));
            shell_terminal(&mut begun, &ground, b"/bin/bash", true, &account, b"/home/odile");
            let text = |name: &str| begun.known(name.as_bytes()).map(|v| String::from_utf8_lossy(v).into_owned());
            assert_eq!(
                (text("TIDES").as_deref(), text("PATH").as_deref(), text("GATE").as_deref()),
                (tides, Some(path), Some("7"))
            );
            assert_eq!(shells.count(), count, "{path}");
        }
    }
}
