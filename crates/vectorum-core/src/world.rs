//! The processes of a host with their blocks, each distinct block held once.

use std::collections::{BTreeMap, BTreeSet, HashMap};
use std::hash::{BuildHasher, RandomState};
use std::sync::Arc;

use crate::block::{Block, Name, Value};
use crate::list::ListKind;
use crate::process::{Process, Rails, TreeRow};
use crate::secret::{MASK, judge};
use crate::tint::{Tint, Tints};

/// What the names column says of one name.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct NameSummary {
    /// The name.
    pub name: Name,
    /// How many distinct values are about.
    pub values: usize,
    /// Whether any value is a list.
    pub is_list: bool,
    /// Whether any value looks secret.
    pub is_secret: bool,
    /// Whether any value is troubled: control bytes in it, empty or doubled items of a list.
    pub is_troubled: bool,
}

#[derive(Clone, Copy, Debug, Default)]
pub(crate) struct ValueFacts {
    blocks: u32,
    pub(crate) is_list: bool,
    pub(crate) is_secret: bool,
    pub(crate) is_troubled: bool,
}

/// The processes of a host, kept up to date by [`World::put`] and [`World::remove`].
///
/// Memory is linear in what is distinct: processes share equal blocks, and the index of names
/// counts distinct blocks, not processes.
#[derive(Clone, Debug, Default)]
pub struct World {
    processes: BTreeMap<i32, Arc<Process>>,
    children: HashMap<i32, BTreeSet<i32>>,
    blocks: HashMap<Block, u32>,
    // Values by a 64-bit hash under a random key: a clash, one in 10¹⁴ for a million values,
    // would make a count one too low.
    names: BTreeMap<Name, HashMap<u64, ValueFacts>>,
    hasher: RandomState,
}

impl World {
    /// Adds a process, or replaces what was known of its pid. Returns whether anything changed.
    pub fn put(&mut self, mut process: Process) -> bool {
        if self.processes.get(&process.id.pid).is_some_and(|known| **known == process) {
            return false;
        }
        self.remove(process.id.pid);
        if let crate::Received::Block(block) = &mut process.received {
            *block = self.intern(block);
        }
        self.children.entry(process.parent).or_default().insert(process.id.pid);
        self.processes.insert(process.id.pid, Arc::new(process));
        true
    }

    /// Removes a process. Returns whether it was there.
    pub fn remove(&mut self, pid: i32) -> bool {
        let Some(process) = self.processes.remove(&pid) else { return false };
        if let Some(siblings) = self.children.get_mut(&process.parent) {
            siblings.remove(&pid);
            if siblings.is_empty() {
                self.children.remove(&process.parent);
            }
        }
        if let Some(block) = process.received.block() {
            self.release(block);
        }
        true
    }

    /// Gives a process another parent, as happens when its own ends. Returns whether it was there.
    pub fn adopt(&mut self, pid: i32, parent: i32) -> bool {
        let Some(process) = self.processes.get_mut(&pid) else { return false };
        let before = std::mem::replace(&mut Arc::make_mut(process).parent, parent);
        if let Some(siblings) = self.children.get_mut(&before) {
            siblings.remove(&pid);
            if siblings.is_empty() {
                self.children.remove(&before);
            }
        }
        self.children.entry(parent).or_default().insert(pid);
        true
    }

    /// Counts a block in and returns the one copy that is kept of it.
    fn intern(&mut self, block: &Block) -> Block {
        if let Some((kept, _)) = self.blocks.get_key_value(block) {
            let kept = kept.clone();
            *self.blocks.entry(kept.clone()).or_default() += 1;
            return kept;
        }
        self.blocks.insert(block.clone(), 1);
        for (name, value) in block.vars() {
            let hash = self.hasher.hash_one(&value);
            // Names outlive the block they came from: the index keeps copies.
            let values = match self.names.get_mut(name.as_bytes()) {
                Some(values) => values,
                None => match Name::new(name.as_bytes().to_vec()) {
                    Some(own) => self.names.entry(own).or_default(),
                    None => continue,
                },
            };
            values.entry(hash).or_insert_with(|| facts(&name, &value)).blocks += 1;
        }
        block.clone()
    }

    fn release(&mut self, block: &Block) {
        match self.blocks.get_mut(block) {
            Some(count) if *count > 1 => *count -= 1,
            _ => {
                self.blocks.remove(block);
                for (name, value) in block.vars() {
                    let hash = self.hasher.hash_one(&value);
                    let Some(values) = self.names.get_mut(name.as_bytes()) else { continue };
                    if let Some(facts) = values.get_mut(&hash) {
                        facts.blocks -= 1;
                        if facts.blocks == 0 {
                            values.remove(&hash);
                        }
                    }
                    if values.is_empty() {
                        self.names.remove(name.as_bytes());
                    }
                }
            }
        }
    }

    /// Returns a process by its number.
    pub fn get(&self, pid: i32) -> Option<&Process> {
        self.processes.get(&pid).map(|p| &**p)
    }

    /// Returns the processes by number.
    pub fn processes(&self) -> impl Iterator<Item = &Process> {
        self.processes.values().map(|p| &**p)
    }

    /// Returns the number of processes.
    pub fn len(&self) -> usize {
        self.processes.len()
    }

    /// Whether there is no process.
    pub fn is_empty(&self) -> bool {
        self.processes.is_empty()
    }

    /// Returns the number of distinct blocks.
    pub fn distinct_blocks(&self) -> usize {
        self.blocks.len()
    }

    /// Returns the parent, where it is known.
    pub fn parent(&self, process: &Process) -> Option<&Process> {
        self.get(process.parent).filter(|p| p.id.pid != process.id.pid)
    }

    /// Returns the children's numbers, in order.
    pub fn children(&self, pid: i32) -> impl Iterator<Item = i32> + '_ {
        self.children.get(&pid).into_iter().flatten().copied()
    }

    /// Returns every name with what the names column says of it, sorted by name.
    pub fn names(&self) -> Vec<NameSummary> {
        self.names
            .iter()
            .map(|(name, values)| NameSummary {
                name: name.clone(),
                values: values.len(),
                is_list: values.values().any(|f| f.is_list),
                is_secret: values.values().any(|f| f.is_secret),
                is_troubled: values.values().any(|f| f.is_troubled),
            })
            .collect()
    }

    /// Returns the tint of one process under a name.
    pub fn tint(&self, pid: i32, name: &[u8], tints: &mut Tints) -> Tint {
        match self.processes.get(&pid).and_then(|p| p.received.block()) {
            None => Tint::Unknown,
            Some(block) => block.value(name).map_or(Tint::Absent, |value| tints.of(&value)),
        }
    }

    /// Returns the tree as lines, parents before children, siblings by number.
    ///
    /// Processes in `folded` hide what is below them. Where `keep` is given, only processes that
    /// it accepts and those that lead to them stand in the tree.
    pub fn rows(&self, folded: &BTreeSet<i32>, keep: Option<&dyn Fn(&Process) -> bool>) -> Vec<TreeRow> {
        let chosen: Option<(BTreeSet<i32>, BTreeSet<i32>)> = keep.map(|keep| {
            let matching: BTreeSet<i32> = self.processes.values().filter(|p| keep(p)).map(|p| p.id.pid).collect();
            let mut leading = matching.clone();
            for pid in &matching {
                let mut at = self.processes.get(pid).map(|p| p.parent);
                while let Some(parent) = at.and_then(|pid| self.processes.get(&pid)) {
                    if !leading.insert(parent.id.pid) {
                        break;
                    }
                    at = Some(parent.parent);
                }
            }
            (matching, leading)
        });
        let shown = |pid: &i32| chosen.as_ref().is_none_or(|(_, leading)| leading.contains(pid));
        let is_root = |p: &Process| p.parent == p.id.pid || !self.processes.contains_key(&p.parent);
        let roots: Vec<i32> = self.processes.values().filter(|p| is_root(p)).map(|p| p.id.pid).filter(shown).collect();
        let mut rows = Vec::with_capacity(self.processes.len());
        let mut seen = BTreeSet::new();
        // Parents read at different moments may form a ring when numbers are used again: whoever
        // was not reached from a root is taken as one.
        let mut late = self.processes.keys().filter(|pid| shown(pid));
        let mut stack: Vec<(i32, Rails)> = siblings(roots, Rails::default());
        loop {
            let Some((pid, rails)) = stack.pop() else {
                match late.find(|pid| !seen.contains(*pid) && !self.is_below_a_fold(**pid, folded)) {
                    Some(pid) => stack.push((*pid, Rails::default().below(false))),
                    None => break,
                }
                continue;
            };
            if !seen.insert(pid) {
                continue;
            }
            let below: Vec<i32> = self.children(pid).filter(|c| *c != pid && shown(c) && !seen.contains(c)).collect();
            let is_folded = folded.contains(&pid);
            rows.push(TreeRow {
                pid,
                rails,
                folded: if is_folded { self.count_below(pid) } else { 0 },
                has_children: !below.is_empty(),
                matches: chosen.as_ref().is_none_or(|(matching, _)| matching.contains(&pid)),
            });
            if !is_folded {
                stack.extend(siblings(below, rails));
            }
        }
        rows
    }

    fn is_below_a_fold(&self, pid: i32, folded: &BTreeSet<i32>) -> bool {
        let mut at = pid;
        for _ in 0..self.processes.len() {
            match self.processes.get(&at).map(|p| p.parent) {
                Some(parent) if folded.contains(&parent) => return true,
                Some(parent) if parent != at => at = parent,
                _ => return false,
            }
        }
        false
    }

    fn count_below(&self, pid: i32) -> usize {
        let mut seen = BTreeSet::from([pid]);
        let mut stack = vec![pid];
        while let Some(at) = stack.pop() {
            stack.extend(self.children(at).filter(|c| seen.insert(*c)));
        }
        seen.len() - 1
    }
}

/// Returns siblings with their rails, in the order in which a stack gives them back.
fn siblings(pids: Vec<i32>, rails: Rails) -> Vec<(i32, Rails)> {
    let last = pids.len().saturating_sub(1);
    let mut out: Vec<_> = pids.into_iter().enumerate().map(|(at, pid)| (pid, rails.below(at < last))).collect();
    out.reverse();
    out
}

pub(crate) fn facts(name: &Name, value: &Value) -> ValueFacts {
    let kind = ListKind::of(name.as_bytes(), value.as_bytes());
    let troubled_list = kind.is_some_and(|k| {
        k.members != crate::Members::Words && k.inspect(value.as_bytes(), &crate::NoHost).iter().any(crate::Item::is_troubled)
    });
    ValueFacts {
        blocks: 0,
        is_list: kind.is_some(),
        // A recording holds the masks themselves.
        is_secret: judge(name.as_bytes(), value.as_bytes()).is_secret()
            || memchr::memmem::find(value.as_bytes(), MASK.as_bytes()).is_some(),
        is_troubled: troubled_list || crate::finding::is_hostile(name.as_bytes(), value.as_bytes()),
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::process::{ProcessId, Received};
    use bytes::Bytes;
    use proptest::prelude::*;

    fn process(pid: i32, parent: i32, vars: &[(&str, &str)]) -> Process {
        Process {
            id: ProcessId { pid, started: pid as u64 },
            parent,
            program: Bytes::from_static(b"gate"),
            arguments: Bytes::from_static(b"gate\0-v\0"),
            uid: 0,
            account: "root".into(),
            received: Received::Block(Block::from_vars(vars.iter().copied())),
        }
    }

    fn drawn(world: &World, folded: &[i32]) -> Vec<String> {
        let rows = world.rows(&folded.iter().copied().collect(), None);
        rows.iter()
            .map(|r| format!("{}{}{}", "-".repeat(r.rails.depth() - 1), r.pid, if r.folded > 0 { "+" } else { "" }))
            .collect()
    }

    #[test]
    fn equal_blocks_are_held_once() {
        let mut world = World::default();
        for pid in 1..=50 {
            world.put(process(pid, 0, &[("A", "1"), ("B", if pid % 2 == 0 { "x" } else { "y" })]));
        }
        assert_eq!(world.distinct_blocks(), 2);
        let names: Vec<_> = world.names().into_iter().map(|n| (n.name.to_string(), n.values)).collect();
        assert_eq!(names, [("A".to_owned(), 1), ("B".to_owned(), 2)]);
        let (one, three) = (world.get(1).unwrap().received.block().unwrap(), world.get(3).unwrap().received.block().unwrap());
        assert_eq!(one.get(b"A").unwrap().as_ptr(), three.get(b"A").unwrap().as_ptr(), "one copy in memory");
        for pid in 1..=50 {
            assert!(world.remove(pid));
        }
        assert_eq!((world.distinct_blocks(), world.names().len(), world.len()), (0, 0, 0));
    }

    #[test]
    fn a_process_seen_again_replaces_itself() {
        let mut world = World::default();
        assert!(world.put(process(5, 0, &[("A", "1")])));
        assert!(!world.put(process(5, 0, &[("A", "1")])), "nothing new");
        assert!(world.put(process(5, 0, &[("B", "2")])));
        assert_eq!(world.names().iter().map(|n| n.name.to_string()).collect::<Vec<_>>(), ["B"]);
    }

    #[test]
    fn the_tree_in_lines() {
        let mut world = World::default();
        for (pid, parent) in [(1, 0), (2, 0), (10, 1), (11, 10), (12, 10), (20, 1), (30, 99)] {
            world.put(process(pid, parent, &[]));
        }
        assert_eq!(drawn(&world, &[]), ["1", "-10", "--11", "--12", "-20", "2", "30"]);
        assert_eq!(drawn(&world, &[10]), ["1", "-10+", "-20", "2", "30"]);
        let keep = |p: &Process| p.id.pid == 12;
        let rows = world.rows(&BTreeSet::new(), Some(&keep));
        let kept: Vec<_> = rows.iter().map(|r| (r.pid, r.matches)).collect();
        assert_eq!(kept, [(1, false), (10, false), (12, true)]);
        assert_eq!(rows[2].rails.levels().collect::<Vec<_>>(), [false; 3], "hidden siblings leave no rail");
    }

    #[test]
    fn marks_of_names() {
        let mut world = World::default();
        world.put(process(1, 0, &[("PATH", "/bin:/bin"), ("TICKET_KEY", "gull"), ("NOTE", "\x1b[2J"), ("HOME", "/")]));
        let marks: Vec<_> =
            world.names().into_iter().map(|n| (n.name.to_string(), n.is_list, n.is_secret, n.is_troubled)).collect();
        let mark = |n: &str, l, s, t| (n.to_owned(), l, s, t);
        assert_eq!(
            marks,
            [
                mark("HOME", false, false, false),
                mark("NOTE", false, false, true),
                mark("PATH", true, false, true),
                mark("TICKET_KEY", false, true, false)
            ]
        );
    }

    proptest! {
        #[test]
        fn every_process_stands_in_the_tree_once(parents in proptest::collection::vec(0..12i32, 1..12), again in proptest::collection::vec((1..12i32, 0..12i32), 0..6)) {
            let mut world = World::default();
            for (at, parent) in parents.iter().enumerate() {
                world.put(process(at as i32 + 1, *parent, &[("A", "1")]));
            }
            for (pid, parent) in again {
                world.put(process(pid, parent, &[("A", "2")]));
            }
            let mut pids: Vec<_> = world.rows(&BTreeSet::new(), None).iter().map(|r| r.pid).collect();
            pids.sort_unstable();
            prop_assert_eq!(pids, world.processes().map(|p| p.id.pid).collect::<Vec<_>>());
        }
    }
}
