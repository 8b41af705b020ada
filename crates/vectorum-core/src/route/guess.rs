//! Routes that lead to another account's login shell, guessed on other threads while those before them are followed.
//! Such a shell is handed next to nothing of what the shells before it made: so it is followed as if they had made
//! nothing, and what it comes to holds if it turns out to start alike. A wrong guess costs its time, and nothing else.

use std::sync::{Condvar, Mutex, OnceLock, PoisonError};
use std::thread;

use super::Route;
use crate::lock::lock;

#[derive(Clone, Copy, Debug, PartialEq, Eq)]
enum Stage {
    Open,
    Begun,
    Done,
}

/// What is to be guessed, in the order of the routes, and how far each of it is.
#[derive(Debug)]
pub(super) struct Guesses<'a> {
    routes: Vec<&'a Route>,
    stages: Mutex<Vec<Stage>>,
    changed: Condvar,
}

/// Says that one is done, whatever became of it.
struct Finish<'a>(&'a Guesses<'a>, usize);

impl Drop for Finish<'_> {
    fn drop(&mut self) {
        self.0.set(self.1, Stage::Done);
    }
}

impl<'a> Guesses<'a> {
    pub(super) fn new(routes: Vec<&'a Route>) -> Guesses<'a> {
        let stages = Mutex::new(vec![Stage::Open; routes.len()]);
        Guesses { routes, stages, changed: Condvar::new() }
    }

    pub(super) fn count(&self) -> usize {
        self.routes.len()
    }

    /// Guesses one after the other, until none is left.
    pub(super) fn run(&self, guess: impl Fn(&Route)) {
        for (place, route) in self.routes.iter().enumerate() {
            if self.begin(place) {
                let _finish = Finish(self, place);
                guess(route);
            }
        }
    }

    /// It is the turn of a route: waits if it is being guessed. One that nobody has begun with is not guessed any more.
    pub(super) fn settle(&self, route: &Route) {
        let Some(place) = self.routes.iter().position(|other| *other == route) else { return };
        if self.begin(place) {
            return self.set(place, Stage::Done);
        }
        let mut stages = lock(&self.stages);
        while stages.get(place) == Some(&Stage::Begun) {
            stages = self.changed.wait(stages).unwrap_or_else(PoisonError::into_inner);
        }
    }

    /// Whether it is ours now.
    fn begin(&self, place: usize) -> bool {
        let mut stages = lock(&self.stages);
        let stage = stages.get_mut(place).filter(|stage| **stage == Stage::Open);
        stage.map(|stage| *stage = Stage::Begun).is_some()
    }

    fn set(&self, place: usize, to: Stage) {
        if let Some(stage) = lock(&self.stages).get_mut(place) {
            *stage = to;
        }
        self.changed.notify_all();
    }
}

/// How many threads may run beside this one, and not in its place.
pub(super) fn other_cores() -> usize {
    static CORES: OnceLock<usize> = OnceLock::new();
    CORES.get_or_init(|| thread::available_parallelism().map_or(1, usize::from)) - 1
}

#[cfg(test)]
mod tests {
    use std::panic::{AssertUnwindSafe, catch_unwind};

    use super::*;

    #[test]
    fn each_route_is_guessed_once_or_not_at_all() {
        let routes: Vec<Route> = ["login/sudo-login", "login/su-login:root", "login/su-login:odile", "login"]
            .into_iter()
            .filter_map(|name| Route::parse(name).ok())
            .collect();
        let guesses = Guesses::new(routes.iter().take(3).collect());
        let told = Mutex::new(Vec::new());
        let tell = |what: String| lock(&told).push(what);
        let wait_for = |what: &str| {
            while !lock(&told).iter().any(|one| one == what) {
                thread::yield_now();
            }
        };
        // This one has its turn before anybody guesses.
        guesses.settle(&routes[1]);
        thread::scope(|scope| {
            scope.spawn(|| {
                let guess = |route: &Route| {
                    tell(format!("begun {route}"));
                    thread::sleep(std::time::Duration::from_millis(20));
                    tell(format!("guessed {route}"));
                    assert_ne!(*route, routes[2], "one that fails is done, too");
                };
                assert!(catch_unwind(AssertUnwindSafe(|| guesses.run(guess))).is_err());
            });
            for place in [0, 2] {
                wait_for(&format!("begun {}", routes[place]));
                guesses.settle(&routes[place]);
                tell(format!("turn of {}", routes[place]));
            }
            // This one is none to be guessed.
            guesses.settle(&routes[3]);
        });
        let told = lock(&told);
        let place = |what: &str| told.iter().position(|one| one == what).expect("it came");
        for route in ["login/sudo-login", "login/su-login:odile"] {
            assert!(place(&format!("guessed {route}")) < place(&format!("turn of {route}")), "{told:?}");
        }
        assert_eq!(told.len(), 6, "{told:?}");
    }
}
