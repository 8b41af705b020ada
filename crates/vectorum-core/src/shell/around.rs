//! How a line came to be run: the conditions around it, and the lines that run its file.

use std::sync::Arc;

use crate::route::Site;

/// A condition that decided whether a line is run.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Condition {
    /// Where it stands.
    pub site: Site,
    /// Whether it held; `None` where that is not known.
    pub holds: Option<bool>,
}

#[derive(Debug, PartialEq, Eq)]
struct Under {
    condition: Condition,
    outer: Option<Arc<Under>>,
}

#[derive(Debug, PartialEq, Eq)]
struct Through {
    site: Site,
    outer: Option<Arc<Through>>,
}

/// How a line came to be run. Copies share what they have.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct Around {
    under: Option<Arc<Under>>,
    through: Option<Arc<Through>>,
}

/// What lies around something that is no line.
pub(crate) static NOTHING: Around = Around { under: None, through: None };

impl Around {
    /// The same, with a condition more around the line.
    pub(super) fn under(&self, site: Site, holds: Option<bool>) -> Around {
        let under = Under { condition: Condition { site, holds }, outer: self.under.clone() };
        Around { under: Some(Arc::new(under)), through: self.through.clone() }
    }

    /// The same, within what a line runs: a file, or a function.
    pub(super) fn through(&self, site: Site) -> Around {
        let through = Through { site, outer: self.through.clone() };
        Around { under: self.under.clone(), through: Some(Arc::new(through)) }
    }

    fn all_under(&self) -> impl Iterator<Item = &Condition> {
        std::iter::successors(self.under.as_deref(), |u| u.outer.as_deref()).map(|u| &u.condition)
    }

    fn all_through(&self) -> impl Iterator<Item = &Site> {
        std::iter::successors(self.through.as_deref(), |t| t.outer.as_deref()).map(|t| &t.site)
    }

    /// Returns the places of all of it, in no order.
    pub(crate) fn sites(&self) -> impl Iterator<Item = &Site> {
        self.all_under().map(|condition| &condition.site).chain(self.all_through())
    }

    /// Whether it shares all that it has with another one.
    pub(crate) fn is_shared(&self, other: &Around) -> bool {
        self.under.as_ref().map(Arc::as_ptr) == other.under.as_ref().map(Arc::as_ptr)
            && self.through.as_ref().map(Arc::as_ptr) == other.through.as_ref().map(Arc::as_ptr)
    }

    /// Returns the conditions around the line, the outermost first.
    pub fn conditions(&self) -> Vec<&Condition> {
        let mut out: Vec<&Condition> = self.all_under().collect();
        out.reverse();
        out
    }

    /// Returns the lines that run the file or the function of the line, the outermost first.
    pub fn chain(&self) -> Vec<&Site> {
        let mut out: Vec<&Site> = self.all_through().collect();
        out.reverse();
        out
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn what_lies_around_a_line_is_told_from_outside() {
        let site = |path: &str, line| Site { path: path.to_owned().into(), line };
        let around = Around::default().through(site("/home/odile/.profile", 9)).under(site("/home/odile/.bashrc", 3), Some(true));
        let inner = around.under(site("/home/odile/.bashrc", 5), None);
        let lines = |around: &Around| around.conditions().iter().map(|c| (c.site.line, c.holds)).collect::<Vec<_>>();
        assert_eq!(lines(&inner), [(3, Some(true)), (5, None)]);
        assert_eq!(inner.sites().map(|site| site.line).collect::<Vec<_>>(), [5, 3, 9]);
        assert_eq!((inner.is_shared(&inner.clone()), inner.is_shared(&around)), (true, false));
        assert_eq!((lines(&around), inner.chain()), (vec![(3, Some(true))], vec![&site("/home/odile/.profile", 9)]));
    }
}
