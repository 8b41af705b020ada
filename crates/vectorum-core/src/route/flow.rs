//! The host as a tree, from its first process down to each route, painted by one name's value.

use std::collections::{BTreeSet, HashMap};

use super::{Forecast, Held, Reached, Route, Site, Survey};
use crate::process::Rails;
use crate::tint::{Mark, Tint, Tints};

/// A branch of the tree: a route, or a group of them.
#[derive(Clone, Debug)]
pub struct Branch {
    /// What it is called.
    pub label: String,
    /// The branch above; the first one has none.
    pub parent: Option<usize>,
    /// The branches below, in order.
    pub children: Vec<usize>,
    /// The route that ends here, by its place in [`Survey::routes`].
    pub route: Option<usize>,
    /// Whether it is one of many of its kind, which are told together where they agree.
    is_one_of_many: bool,
}

/// Builds the tree. Its first branch is the first process.
pub(super) fn tree(routes: &[(Route, Forecast)], program: &str) -> Vec<Branch> {
    let branch =
        |label: String, parent, is_one_of_many| Branch { label, parent, children: Vec::new(), route: None, is_one_of_many };
    let mut branches = vec![branch(program.to_owned(), None, false)];
    let mut places: HashMap<String, usize> = HashMap::new();
    for (at, (route, _)) in routes.iter().enumerate() {
        let mut parent = 0;
        for (key, label, is_one_of_many) in route.branches() {
            let place = match places.get(&key) {
                Some(place) => *place,
                None => {
                    let place = branches.len();
                    branches.push(branch(label, Some(parent), is_one_of_many));
                    if let Some(above) = branches.get_mut(parent) {
                        above.children.push(place);
                    }
                    places.insert(key, place);
                    place
                }
            };
            parent = place;
        }
        if let Some(last) = branches.get_mut(parent) {
            last.route = Some(at);
        }
    }
    branches
}

/// What decided the value on a branch.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum By {
    /// A line of a file.
    Site(Site),
    /// A program's own rule: a hop, in words.
    Hop(String),
    /// Several lines, on branches that are told together.
    Several,
}

/// A line of the tree as it is drawn.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct FlowRow {
    /// The branch.
    pub branch: usize,
    /// More branches beside it that agree with it and are told with it.
    pub alike: Vec<usize>,
    /// How many branches below are folded away.
    pub below: usize,
    /// The lines that lead to it.
    pub rails: Rails,
    /// The tint; `None` for a group whose branches part.
    pub tint: Option<Tint>,
    /// How the name stands, seen from the branch above.
    pub mark: Mark,
    /// What decided it, where that is on this branch.
    pub by: Option<By>,
    /// Why the route never comes to its end, where it does not.
    pub ends: Option<&'static str>,
    /// Whether it may never come to its end; the value holds where it does.
    pub may_end: bool,
    /// The branch whose folding this line has, where it can be folded or unfolded.
    pub fold: Option<usize>,
    /// Whether something is folded away here.
    pub is_folded: bool,
}

/// What a name is on one branch.
#[derive(Clone, Debug, PartialEq, Eq)]
struct Paint {
    tint: Option<Tint>,
    mark: Mark,
    by: Option<By>,
    ends: Option<&'static str>,
    may_end: bool,
    /// Whether all below is as it is here.
    is_even: bool,
}

/// What is so above a branch.
#[derive(Clone, Copy)]
struct Before {
    tint: Tint,
    /// How many hops were told already.
    hops: usize,
    /// Whether it may end there.
    may_end: bool,
}

impl Paint {
    /// What it is told by: branches that are alike in it can be told together.
    fn looks(&self) -> (Option<Tint>, Mark, Option<&'static str>, bool) {
        (self.tint, self.mark, self.ends, self.may_end)
    }
}

/// What the drawing of a tree goes by.
struct Drawing<'a> {
    survey: &'a Survey,
    paint: Vec<Paint>,
    turned: &'a BTreeSet<usize>,
    is_whole: bool,
    rows: Vec<FlowRow>,
}

impl Survey {
    /// Returns the branches of the tree; the first one is the first process.
    pub fn branches(&self) -> &[Branch] {
        &self.branches
    }

    /// Returns the tree as lines, painted by a name. Branches that agree fold to one line unless
    /// they are `turned`; a branch that parts is folded only where it is `turned`. With `is_whole`
    /// nothing is folded.
    pub fn rows(&self, name: &[u8], tints: &mut Tints, turned: &BTreeSet<usize>, is_whole: bool) -> Vec<FlowRow> {
        let paint = self.paint(name, tints);
        let mut drawing = Drawing { survey: self, paint, turned, is_whole, rows: Vec::new() };
        drawing.walk(0, Rails::default().below(false));
        drawing.rows
    }

    /// Says why a name is unknown on a line of the tree.
    pub fn why_unknown(&self, row: &FlowRow, name: &[u8]) -> Option<&'static str> {
        let mut branch = self.branches.get(row.branch)?;
        while branch.route.is_none() {
            branch = self.branches.get(*branch.children.first()?)?;
        }
        let (_, forecast) = self.routes.get(branch.route?)?;
        match forecast.get(name).map(|v| &v.held) {
            Some(Held::Unknown(why)) => Some(why),
            _ => forecast.open.as_ref().map(|(why, _)| *why),
        }
    }

    fn paint(&self, name: &[u8], tints: &mut Tints) -> Vec<Paint> {
        let first = match &self.starts.first {
            Some(block) => block.value(name).map_or(Tint::Absent, |v| tints.of(&v)),
            None => Tint::Unknown,
        };
        let mut before: Vec<Before> = Vec::with_capacity(self.branches.len());
        let mut paint: Vec<Paint> = Vec::with_capacity(self.branches.len());
        for (at, branch) in self.branches.iter().enumerate() {
            // A parent stands before its children.
            let above =
                branch.parent.and_then(|p| before.get(p)).copied().unwrap_or(Before { tint: first, hops: 0, may_end: false });
            let mut own = Paint { tint: None, mark: Mark::Same, by: None, ends: None, may_end: false, is_even: true };
            match branch.route.and_then(|r| self.routes.get(r)) {
                Some((_, forecast)) => {
                    let tint = forecast.tint(name, tints);
                    own.tint = Some(tint);
                    let event = forecast.trail(name).rfind(|e| e.hop >= above.hops);
                    own.mark = match (above.tint, tint) {
                        // Not to know what was before is no reason to hide that it is set here.
                        (Tint::Unknown, Tint::Value(_) | Tint::PerRun) if event.is_some() => Mark::Born,
                        (above, tint) => Mark::between(above, tint),
                    };
                    if own.mark != Mark::Same {
                        own.by = event.map(|e| match e.site {
                            Some(site) => By::Site(site.clone()),
                            None => By::Hop(forecast.hops.get(e.hop).cloned().unwrap_or_default()),
                        });
                    }
                    if let Reached::No(why, _) = &forecast.reached {
                        own.ends = Some(why);
                    }
                    // What lies below a branch that may end is told there.
                    own.may_end = forecast.may_end.is_some() && own.ends.is_none() && !above.may_end;
                    before.push(Before { tint, hops: forecast.hops.len(), may_end: forecast.may_end.is_some() });
                }
                None => {
                    own.tint = (at == 0).then_some(first);
                    before.push(above);
                }
            }
            paint.push(own);
        }
        // From below upwards: a group is as its branches are, where they agree.
        for at in (0..self.branches.len()).rev() {
            let Some(branch) = self.branches.get(at) else { continue };
            let below: Vec<Paint> = branch.children.iter().filter_map(|c| paint.get(*c)).cloned().collect();
            let Some(own) = paint.get_mut(at) else { continue };
            if branch.route.is_some() {
                let is_same =
                    |p: &Paint| p.is_even && p.tint == own.tint && p.mark == Mark::Same && p.ends.is_none() && !p.may_end;
                own.is_even = below.iter().all(is_same);
            } else if let Some(one) = below.first().filter(|_| at != 0) {
                own.is_even = below.iter().all(|p| p.is_even && p.looks() == one.looks());
                if own.is_even {
                    (own.tint, own.mark, own.ends, own.may_end) = one.looks();
                    let is_by_one = below.iter().all(|p| p.by == one.by);
                    own.by = if is_by_one { one.by.clone() } else { Some(By::Several) };
                }
            }
        }
        paint
    }
}

impl Drawing<'_> {
    /// Draws a branch and what is below it.
    fn walk(&mut self, at: usize, rails: Rails) {
        let (Some(branch), Some(own)) = (self.survey.branches.get(at), self.paint.get(at)) else { return };
        let is_group = !branch.children.is_empty() && at != 0;
        let count = self.count_below(at);
        // One branch below takes no more room than to say that there is one.
        let is_folded = is_group && !self.is_whole && ((own.is_even && count > 1) != self.turned.contains(&at));
        let below = if is_folded { count } else { 0 };
        let fold = (is_group && !self.is_whole).then_some(at);
        let mut row = FlowRow { below, fold, is_folded, ..self.row(at, rails) };
        if branch.route.is_none() && at != 0 && !is_folded {
            // Each of its branches says it by itself.
            row = FlowRow { tint: None, mark: Mark::Same, by: None, ends: None, may_end: false, ..row };
        }
        self.rows.push(row);
        if is_folded {
            return;
        }
        let groups = self.together(&branch.children);
        let mut lines: Vec<(Vec<usize>, Option<usize>)> = Vec::new();
        for members in groups {
            let fold = members.first().copied().filter(|_| members.len() > 1);
            if fold.is_some_and(|f| self.turned.contains(&f)) {
                lines.extend(members.into_iter().map(|m| (vec![m], fold)));
            } else {
                lines.push((members, fold));
            }
        }
        let last = lines.len().saturating_sub(1);
        for (index, (members, fold)) in lines.into_iter().enumerate() {
            let rails = rails.below(index < last);
            let Some(first) = members.first().copied() else { continue };
            if fold.is_none() {
                self.walk(first, rails);
                continue;
            }
            let mut row = FlowRow { fold, is_folded: members.len() > 1, ..self.row(first, rails) };
            if members.iter().filter_map(|m| self.paint.get(*m)).any(|p| p.by != row.by) {
                row.by = Some(By::Several);
            }
            row.alike = members.into_iter().skip(1).collect();
            self.rows.push(row);
        }
    }

    fn row(&self, at: usize, rails: Rails) -> FlowRow {
        let paint = self.paint.get(at).cloned();
        let paint = paint.unwrap_or(Paint { tint: None, mark: Mark::Same, by: None, ends: None, may_end: false, is_even: true });
        FlowRow {
            branch: at,
            alike: Vec::new(),
            below: 0,
            rails,
            tint: paint.tint,
            mark: paint.mark,
            by: paint.by,
            ends: paint.ends,
            may_end: paint.may_end,
            fold: None,
            is_folded: false,
        }
    }

    /// Puts siblings together that are told together: leaves of one kind that agree.
    fn together(&self, siblings: &[usize]) -> Vec<Vec<usize>> {
        let key = |at: &usize| {
            let (branch, paint) = (self.survey.branches.get(*at)?, self.paint.get(*at)?);
            let joins = branch.is_one_of_many && branch.children.is_empty() && !self.is_whole;
            joins.then_some(paint.looks())
        };
        let mut places = HashMap::new();
        let mut groups: Vec<Vec<usize>> = Vec::new();
        for sibling in siblings {
            let place = key(sibling).map(|key| *places.entry(key).or_insert(groups.len()));
            match place.and_then(|p| groups.get_mut(p)) {
                Some(group) => group.push(*sibling),
                None => groups.push(vec![*sibling]),
            }
        }
        groups
    }

    fn count_below(&self, at: usize) -> usize {
        let mut stack = vec![at];
        let mut count = 0;
        while let Some(at) = stack.pop() {
            let below = self.survey.branches.get(at).map(|b| &b.children[..]).unwrap_or_default();
            count += below.len();
            stack.extend(below);
        }
        count
    }
}

#[cfg(test)]
mod tests {
    use super::super::{Account, Ground, Starts};
    use super::*;
    use crate::block::Block;
    use crate::host_view::MemoryTree;

    fn survey() -> Survey {
        let mut tree = MemoryTree::default();
        tree.file("/etc/systemd/system.conf", "[Manager]\nDefaultEnvironment=TIDE=low\n", false);
        for name in ["berth-board", "gate", "tide-watch"] {
            tree.file(format!("/etc/systemd/system/{name}.service"), "[Service]\nExecStart=/bin/true\n", false);
        }
        tree.file("/etc/systemd/system/gate.service.d/5.conf", "[Service]\nEnvironment=TIDE=high\n", false);
        tree.file("/etc/cron.d/berth", "TIDE=low\n@daily odile one\n@daily odile two\n", false);
        let accounts = Account::made_up("/bin/dash");
        let ground = Ground::new(&tree, &accounts);
        let first = Some(Block::from_vars([("PATH", "/bin")]));
        Survey::of(&ground, &accounts[1], Starts { first, program: "systemd".to_owned() })
    }

    fn drawn(survey: &Survey, name: &str, turned: &[usize], is_whole: bool) -> Vec<String> {
        let rows = survey.rows(name.as_bytes(), &mut Tints::default(), &turned.iter().copied().collect(), is_whole);
        let line = |r: &FlowRow| {
            let label = &survey.branches()[r.branch].label;
            let alike = if r.alike.is_empty() { String::new() } else { format!(" and {}", r.alike.len()) };
            let below = if r.below > 0 { format!(" +{}", r.below) } else { String::new() };
            let tint = r.tint.map_or("/".to_owned(), |t| t.to_string());
            let by = match &r.by {
                Some(By::Site(site)) => format!(" {}:{}", String::from_utf8_lossy(&site.path), site.line),
                Some(By::Hop(hop)) => format!(" {hop}"),
                Some(By::Several) => " several".to_owned(),
                None => String::new(),
            };
            let perhaps = if r.may_end { " ?" } else { "" };
            format!("{}{label}{perhaps}{alike}{below} {tint} {:?}{by}", "-".repeat(r.rails.depth() - 1), r.mark)
        };
        rows.iter().map(line).collect()
    }

    #[test]
    fn what_agrees_is_one_line() {
        let survey = survey();
        assert_eq!(
            drawn(&survey, "TIDE", &[], false),
            [
                "systemd – Same",
                "-login +10 – Same",
                "-cron +2 A Born /etc/cron.d/berth:1",
                "-services / Same",
                "--berth-board and 1 A Born /etc/systemd/system.conf:2",
                "--gate B Born /etc/systemd/system/gate.service.d/5.conf:2",
                "--transient service A Born /etc/systemd/system.conf:2",
                "-user manager +2 A Born /etc/systemd/system.conf:2",
            ]
        );
        let turned: Vec<usize> = survey
            .branches()
            .iter()
            .enumerate()
            .filter(|(_, b)| ["cron", "login", "berth-board"].contains(&b.label.as_str()))
            .map(|(at, _)| at)
            .collect();
        let open = drawn(&survey, "TIDE", &turned, false);
        assert_eq!(open.len(), 20, "{open:#?}");
        assert!(open.contains(&"--cron.d/berth:2 and 1 A Born /etc/cron.d/berth:1".to_owned()), "{open:#?}");
        let whole = drawn(&survey, "TIDE", &[], true);
        assert_eq!(whole.len(), survey.branches().len(), "{whole:#?}");
    }

    #[test]
    fn where_a_shell_may_end_is_told_once() {
        let mut tree = MemoryTree::default();
        tree.file("/usr/bin/tide-now", "", true);
        tree.file("/home/odile/.profile", "tide-now && exit\nexport TIDE=low\n", false);
        let accounts = Account::made_up("/bin/dash");
        let ground = Ground::new(&tree, &accounts);
        let survey = Survey::of(&ground, &accounts[1], Starts { first: None, program: "systemd".to_owned() });
        let told: Vec<String> = drawn(&survey, "TIDE", &[], true).into_iter().filter(|line| line.contains('?')).collect();
        assert_eq!(told, ["-login ? A Born /home/odile/.profile:2"]);
    }
}
