use std::collections::{BTreeMap, HashSet};
use std::hash::Hash;

/// An entry of the field journal, as far as what follows what goes.
#[derive(Clone, Copy, Debug)]
pub struct Link<'a, Id> {
    /// Which entry.
    pub id: Id,
    /// What it is about: a station, an item of a checklist, a note.
    pub subject: &'a str,
    /// Entries that its author saw and puts this one in the place of.
    pub follows: &'a [Id],
}

/// What stands of a journal: for each subject the entries (indices, in the order given) that no other entry of that
/// subject follows. Entries are never changed; whoever corrects one writes another that follows it. Two people who correct
/// the same entry without having seen one another leave two that stand: both are kept, until somebody's entry follows both.
///
/// ```
/// use vistazo_core::field::{Link, standing};
/// let entry = |id, follows| Link { id, subject: "S1", follows };
/// let (first, mine, theirs) = (entry(1, &[]), entry(2, &[1]), entry(3, &[1]));
/// assert_eq!(standing(&[first, mine, theirs])["S1"], [1, 2]);
/// assert_eq!(standing(&[first, mine, theirs, entry(4, &[2, 3])])["S1"], [3]);
/// ```
pub fn standing<'a, Id: Copy + Eq + Hash>(entries: &[Link<'a, Id>]) -> BTreeMap<&'a str, Vec<usize>> {
    let followed: HashSet<(&str, Id)> =
        entries.iter().flat_map(|e| e.follows.iter().map(|f| (e.subject, *f))).collect();
    let mut out: BTreeMap<&str, Vec<usize>> = BTreeMap::new();
    for (k, e) in entries.iter().enumerate() {
        let heads = out.entry(e.subject).or_default();
        if !followed.contains(&(e.subject, e.id)) {
            heads.push(k);
        }
    }
    out
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    proptest! {
        /// Whatever two devices write without seeing one another, and in whatever order it arrives, each last word stands.
        #[test]
        fn nothing_that_nobody_saw_is_overwritten(
            steps in prop::collection::vec((0usize..2, 0usize..3, prop::bool::ANY), 1..30),
            turn in 0usize..30,
        ) {
            // each device knows what it wrote itself, and after a meeting all there is
            let names = ["S1", "S2", "S3"];
            let mut written: Vec<(usize, &str, Vec<usize>)> = Vec::new();
            let mut known: [Vec<usize>; 2] = [Vec::new(), Vec::new()];
            for (device, subject, meet) in steps {
                if meet {
                    let all: Vec<usize> = (0..written.len()).collect();
                    known = [all.clone(), all];
                }
                let seen: Vec<Link<'_, usize>> = known[device]
                    .iter()
                    .map(|&k| Link { id: written[k].0, subject: written[k].1, follows: &written[k].2 })
                    .collect();
                let heads = standing(&seen).get(names[subject]).cloned().unwrap_or_default();
                let follows: Vec<usize> = heads.iter().map(|&h| seen[h].id).collect();
                known[device].push(written.len());
                written.push((written.len(), names[subject], follows));
            }
            let mut links: Vec<Link<'_, usize>> =
                written.iter().map(|(id, subject, follows)| Link { id: *id, subject, follows }).collect();
            let as_written = standing(&links);
            for (subject, heads) in &as_written {
                prop_assert!(!heads.is_empty());
                // the last entry of each subject is one that nobody can have seen
                let last = links.iter().rposition(|l| l.subject == *subject).unwrap_or(0);
                prop_assert!(heads.contains(&last));
            }
            let ids = |s: &BTreeMap<&str, Vec<usize>>, l: &[Link<'_, usize>]| -> BTreeMap<String, HashSet<usize>> {
                s.iter().map(|(k, v)| ((*k).to_owned(), v.iter().map(|&h| l[h].id).collect())).collect()
            };
            let first = ids(&as_written, &links);
            let n = links.len();
            links.rotate_left(turn % n);
            prop_assert_eq!(first, ids(&standing(&links), &links));
        }
    }
}
