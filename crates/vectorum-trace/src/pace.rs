//! Whether the watcher sleeps between two notices or keeps awake for the next.
//!
//! A watcher that sleeps is woken on its caller's processor, and the scheduler counts it there for
//! a while after it has gone to sleep again: it then moves the program that starts just now to
//! another processor, at the price of cold caches. In a storm of short programs that costs more
//! than all the watcher's own work. One that keeps awake on another, idle processor leaves the
//! callers where they are.

use std::time::{Duration, Instant as Clock};

/// Notices that follow each other faster than this are a storm, if there are enough of them.
const GAP: Duration = Duration::from_micros(1500);
const ENOUGH: u32 = 24;
/// A look for notices takes a few microseconds. One that took so long was interrupted: somebody
/// else needs the processor.
const INTERRUPTED: Duration = Duration::from_micros(400);
const MOST_INTERRUPTIONS: u32 = 4;
/// How long the watcher then sleeps between notices, doubled each time.
const SHORTEST_PAUSE: Duration = Duration::from_millis(50);
const LONGEST_PAUSE: Duration = Duration::from_secs(3);

#[derive(Debug)]
pub(crate) struct Pace {
    /// Notices in a row without a gap.
    row: u32,
    last: Clock,
    is_awake: bool,
    interruptions: u32,
    pause: Duration,
    not_before: Clock,
    has_room: bool,
}

impl Pace {
    /// `processors` is how many this process may use.
    pub(crate) fn new(now: Clock, processors: usize) -> Pace {
        Pace {
            row: 0,
            last: now,
            is_awake: false,
            interruptions: 0,
            pause: SHORTEST_PAUSE,
            not_before: now,
            has_room: processors > 1,
        }
    }

    pub(crate) fn is_awake(&self) -> bool {
        self.is_awake
    }

    /// Takes in that a notice was answered.
    pub(crate) fn answered(&mut self, now: Clock) {
        let is_close = now.saturating_duration_since(self.last) < GAP;
        self.row = if is_close { self.row.saturating_add(1) } else { 0 };
        self.last = now;
        if !self.is_awake && self.has_room && self.row >= ENOUGH && now >= self.not_before {
            (self.is_awake, self.interruptions) = (true, 0);
        }
    }

    /// Takes in that a look, which began at `begun`, found nothing.
    pub(crate) fn found_nothing(&mut self, begun: Clock, now: Clock) {
        if now.saturating_duration_since(begun) >= INTERRUPTED {
            self.interruptions += 1;
        }
        if self.interruptions >= MOST_INTERRUPTIONS {
            self.not_before = now + self.pause;
            self.pause = (self.pause * 2).min(LONGEST_PAUSE);
            self.rest();
        } else if now.saturating_duration_since(self.last) >= GAP {
            self.rest();
        }
    }

    fn rest(&mut self) {
        (self.is_awake, self.row) = (false, 0);
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    const STEP: Duration = Duration::from_micros(300);

    /// Answers notices one behind the other.
    fn storm(pace: &mut Pace, now: &mut Clock, count: u32, step: Duration) {
        for _ in 0..count {
            *now += step;
            pace.answered(*now);
        }
    }

    #[test]
    fn it_keeps_awake_in_a_storm_and_only_then() {
        let mut now = Clock::now();
        let mut pace = Pace::new(now, 2);
        storm(&mut pace, &mut now, 100, GAP);
        assert!(!pace.is_awake(), "a build is no storm");
        storm(&mut pace, &mut now, ENOUGH, STEP);
        assert!(pace.is_awake());
        pace.found_nothing(now, now + STEP);
        assert!(pace.is_awake());
        pace.found_nothing(now + GAP, now + GAP);
        assert!(!pace.is_awake(), "it is over");
        let mut alone = Pace::new(now, 1);
        storm(&mut alone, &mut now, 100, STEP);
        assert!(!alone.is_awake(), "the callers need the only processor");
    }

    #[test]
    fn it_leaves_the_processor_to_others() {
        let mut now = Clock::now();
        let mut pace = Pace::new(now, 2);
        for pause in [SHORTEST_PAUSE, SHORTEST_PAUSE * 2] {
            storm(&mut pace, &mut now, 100, STEP);
            assert!(pace.is_awake());
            for _ in 0..MOST_INTERRUPTIONS {
                pace.found_nothing(now, now + INTERRUPTED);
            }
            assert!(!pace.is_awake());
            let begun = now;
            while !pace.is_awake() {
                storm(&mut pace, &mut now, 1, STEP);
            }
            let slept = now - begun;
            assert!(slept >= pause && slept < pause * 2, "{slept:?}");
            pace.found_nothing(now + GAP, now + GAP);
        }
    }
}
