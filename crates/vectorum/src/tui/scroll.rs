//! A cursor in a list of which a window is seen.

/// The cursor and the window.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub(crate) struct Scroll {
    pub(crate) cursor: usize,
    pub(crate) offset: usize,
    pub(crate) count: usize,
    /// How many rows the window shows.
    pub(crate) height: usize,
}

impl Scroll {
    /// Moves the cursor, as far as there are rows.
    pub(crate) fn by(&mut self, rows: isize) {
        self.go_to(self.cursor.saturating_add_signed(rows));
    }

    /// Puts the cursor on a row, or the last one.
    pub(crate) fn go_to(&mut self, row: usize) {
        self.cursor = row.min(self.count.saturating_sub(1));
        self.settle();
    }

    /// Moves the window; the cursor stays in it.
    pub(crate) fn roll(&mut self, rows: isize) {
        let last = self.count.saturating_sub(self.height);
        self.offset = self.offset.saturating_add_signed(rows).min(last);
        self.cursor = self
            .cursor
            .clamp(self.offset, (self.offset + self.height.max(1) - 1).max(self.offset))
            .min(self.count.saturating_sub(1));
    }

    /// Takes the height of the window and brings the cursor into it.
    pub(crate) fn resize(&mut self, height: usize) {
        self.height = height;
        self.settle();
    }

    fn settle(&mut self) {
        if self.height == 0 {
            return;
        }
        let lowest = (self.cursor + 1).saturating_sub(self.height);
        self.offset = self.offset.clamp(lowest, self.cursor.max(lowest)).min(self.count.saturating_sub(self.height).max(lowest));
    }

    /// Returns a page, less a row to keep one's place.
    pub(crate) fn page(&self) -> isize {
        isize::try_from(self.height.saturating_sub(1).max(1)).unwrap_or(1)
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    proptest! {
        #[test]
        fn the_cursor_is_always_in_the_window(
            count in 0..40usize,
            moves in proptest::collection::vec((0..4u8, -30..30isize), 1..20),
        ) {
            let mut scroll = Scroll { count, ..Scroll::default() };
            scroll.resize(7);
            for (kind, by) in moves {
                match kind {
                    0 => scroll.by(by),
                    1 => scroll.roll(by),
                    2 => scroll.go_to(by.unsigned_abs()),
                    _ => scroll.resize(1 + by.unsigned_abs() % 12),
                }
                prop_assert!(scroll.cursor < count.max(1));
                prop_assert!(scroll.offset <= scroll.cursor && scroll.cursor < scroll.offset + scroll.height, "{scroll:?}");
            }
        }
    }
}
