use std::cmp::Ordering;

/// In which order files were taken and from which stations, as far as their names say.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Proposal {
    /// Indices of the files, in the order proposed.
    pub order: Vec<usize>,
    /// For each file (not in that order), the index of its station.
    pub stations: Vec<Option<usize>>,
}

/// Proposes an order and stations for files by their names.
///
/// Files are ordered as people count (`scan 2` before `scan 10`). A file goes to the station whose
/// name stands in its own as a word; failing that, files that are numbered without a gap go to the
/// stations not yet taken, in order, when there are as many. Two files never get the same station.
///
/// ```
/// use vistazo_core::field::propose;
/// let p = propose(&["hall S2.e57", "hall S10.e57", "extra.e57"], &[("S2", false), ("S10", false)]);
/// assert_eq!(p.stations, [Some(0), Some(1), None]);
/// let p = propose(&["scan_010.laz", "scan_009.laz"], &[("A", true), ("B", false), ("C", false)]);
/// assert_eq!((p.order, p.stations), (vec![1, 0], vec![Some(2), Some(1)]));
/// ```
pub fn propose(files: &[&str], stations: &[(&str, bool)]) -> Proposal {
    let stems: Vec<String> = files.iter().map(|f| f.rsplit_once('.').map_or(*f, |s| s.0).to_lowercase()).collect();
    let mut order: Vec<usize> = (0..files.len()).collect();
    order.sort_by(|&a, &b| as_counted(&stems[a], &stems[b]));
    let mut taken = vec![false; stations.len()];
    let mut of: Vec<Option<usize>> = vec![None; files.len()];
    for &f in &order {
        let words = |name: &str| {
            let name = name.to_lowercase();
            !name.is_empty()
                && stems[f].match_indices(&name).any(|(at, m)| {
                    let edge = |c: Option<char>| c.is_none_or(|c| !c.is_alphanumeric());
                    edge(stems[f][..at].chars().next_back()) && edge(stems[f][at + m.len()..].chars().next())
                })
        };
        // the longest name that fits: “A 12” rather than “A”
        let best =
            (0..stations.len()).filter(|&s| !taken[s] && words(stations[s].0)).max_by_key(|&s| stations[s].0.len());
        if let Some(s) = best {
            taken[s] = true;
            of[f] = Some(s);
        }
    }
    let left: Vec<usize> = order.iter().copied().filter(|&f| of[f].is_none()).collect();
    let free: Vec<usize> = (0..stations.len()).filter(|&s| !taken[s] && !stations[s].1).collect();
    let numbers: Vec<Option<u64>> = left.iter().map(|&f| last_number(&stems[f])).collect();
    let in_a_row = numbers.windows(2).all(|w| matches!((w[0], w[1]), (Some(a), Some(b)) if b == a + 1));
    if of.iter().all(Option::is_none) && left.len() == free.len() && in_a_row && !numbers.contains(&None) {
        for (&f, &s) in left.iter().zip(&free) {
            of[f] = Some(s);
        }
    }
    Proposal { order, stations: of }
}

/// Compares as people count: runs of digits by their value.
fn as_counted(a: &str, b: &str) -> Ordering {
    let (mut a, mut b) = (a, b);
    loop {
        let (Some(x), Some(y)) = (a.chars().next(), b.chars().next()) else { return a.len().cmp(&b.len()) };
        if x.is_ascii_digit() && y.is_ascii_digit() {
            let run = |s: &str| s.find(|c: char| !c.is_ascii_digit()).unwrap_or(s.len());
            let (i, j) = (run(a), run(b));
            let (m, n) = (a[..i].trim_start_matches('0'), b[..j].trim_start_matches('0'));
            let by_value = m.len().cmp(&n.len()).then_with(|| m.cmp(n));
            if by_value != Ordering::Equal {
                return by_value;
            }
            (a, b) = (&a[i..], &b[j..]);
        } else if x == y {
            (a, b) = (&a[x.len_utf8()..], &b[y.len_utf8()..]);
        } else {
            return x.cmp(&y);
        }
    }
}

fn last_number(s: &str) -> Option<u64> {
    let end = s.rfind(|c: char| c.is_ascii_digit())? + 1;
    let start = s[..end].rfind(|c: char| !c.is_ascii_digit()).map_or(0, |k| k + 1);
    // after a character of several bytes the run may start late
    s[..end].get(start..).and_then(|d| d.trim_matches(|c: char| !c.is_ascii_digit()).parse().ok())
}
