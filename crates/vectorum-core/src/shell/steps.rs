//! How much was done already.

/// So many items of lists that are gone through count as a step.
const ITEMS: usize = 32;

/// Counts steps up to where a file is given up, so that none can hang what follows it.
#[derive(Debug)]
pub(super) struct Steps {
    taken: usize,
    most: usize,
    is_spent: bool,
}

impl Steps {
    /// So many are taken at most.
    pub(super) fn up_to(most: usize) -> Steps {
        Steps { taken: 0, most, is_spent: false }
    }

    /// Takes one. Returns whether it is the one with which the file is given up.
    pub(super) fn take(&mut self) -> bool {
        self.taken += 1;
        let is_last = self.taken >= self.most && !self.is_spent;
        self.is_spent |= is_last;
        is_last
    }

    /// Counts items of a list that are gone through.
    pub(super) fn count(&mut self, items: usize) {
        self.taken += items / ITEMS;
    }

    /// Whether the file is given up.
    pub(super) fn is_spent(&self) -> bool {
        self.is_spent
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_file_is_given_up_once() {
        let mut steps = Steps::up_to(10);
        assert_eq!((0..12).map(|_| steps.take()).filter(|is_last| *is_last).count(), 1);
        assert!(steps.is_spent());
        // What is counted in between gives nothing up by itself: the next step does.
        let mut steps = Steps::up_to(10);
        steps.count(ITEMS - 1);
        assert!((0..9).all(|_| !steps.take()), "too few items for a step");
        let mut steps = Steps::up_to(10);
        steps.count(100 * ITEMS);
        assert!(!steps.is_spent());
        assert_eq!([steps.take(), steps.take(), steps.is_spent()], [true, false, true]);
    }
}
