//! What is said of walks that are planned.

use crate::dto::{Brief, HeldWord, PlannedWalkDto, TrapDto};
use vistazo_core::mobile::Unit;
use vistazo_core::walks::{Course, OVERLAP, Slow};

/// A stretch that nothing holds is named from this length on, metres.
const ALONE: f64 = 25.0;

fn trap(grade: &str, title: String, text: String, about: &str, at: Option<[f64; 2]>) -> TrapDto {
    let about = if about.is_empty() { Vec::new() } else { vec![about.to_owned()] };
    TrapDto { grade: grade.into(), title, text, about, at, mend: None }
}

/// What goes wrong on walks.
pub(crate) fn findings(
    brief: &Brief,
    walks: &[PlannedWalkDto],
    carried: &[(&Unit, &Course, f64)],
    slow: &[Slow],
) -> Vec<TrapDto> {
    let mut out = Vec::new();
    for (w, (unit, course, noise)) in walks.iter().zip(carried) {
        out.extend(course.crossed.iter().map(|p| {
            let text =
                "No way leads there on the plan: draw the line through the door, or the door into the wall.".into();
            trap("failed", format!("{} leads through something that stands", w.name), text, &w.name, Some([p.x, p.y]))
        }));
        if w.passes > 1 {
            let text = format!(
                "{} min, and a pass of the {} ends after {:.0} min. Split it into {} passes: each begins {} before the one before it ends.",
                (w.seconds / 60.0).ceil(),
                unit.name.to_lowercase(),
                unit.handling.longest / 60.0,
                w.passes,
                brief.length(OVERLAP),
            );
            let at = w.places.last().map(|p| p.at);
            out.push(trap("failed", format!("{} is longer than a pass", w.name), text, &w.name, at));
        }
        out.extend(beyond(brief, w, *noise));
        out.extend(once(brief, w));
    }
    out.extend(slow.iter().filter_map(|s| too_fast(brief, walks, carried, s)));
    out.extend(noisy(brief, walks, carried));
    out.extend(batteries(walks, carried));
    out
}

/// Units whose own noise is more than what is allowed: no known point helps.
fn noisy(brief: &Brief, walks: &[PlannedWalkDto], carried: &[(&Unit, &Course, f64)]) -> Vec<TrapDto> {
    let asked = |w: &PlannedWalkDto| w.places.iter().filter_map(|p| p.limit).reduce(f64::max);
    let mut units: Vec<(&str, f64, Vec<&PlannedWalkDto>)> = Vec::new();
    for (w, (unit, _, noise)) in walks.iter().zip(carried).filter(|w| asked(w.0).is_some_and(|a| w.1.2 > a)) {
        match units.iter_mut().find(|u| u.0 == unit.name) {
            Some(u) => u.2.push(w),
            None => units.push((&unit.name, *noise, vec![w])),
        }
    }
    let told = |(unit, noise, of): (&str, f64, Vec<&PlannedWalkDto>)| {
        let most = |of: &dyn Fn(&PlannedWalkDto) -> Option<f64>, all: &[&PlannedWalkDto]| {
            all.iter().filter_map(|w| of(w)).fold(0.0, f64::max)
        };
        let worst = most(&|w| w.places.iter().map(|p| p.error95).reduce(f64::max), &of);
        let text = format!(
            "A single point of the {} has 95 % of {} by its own noise, allowed are {} at most: surfaces fitted to many points are better, points \
             are not. With what is left of its drift it is {} at most.",
            unit.to_lowercase(),
            brief.length(noise),
            brief.length(most(&|w| asked(w), &of)),
            brief.length(worst),
        );
        let names = of.iter().map(|w| w.name.clone()).collect();
        TrapDto { about: names, ..trap("doubtful", format!("{unit}: fit for information only"), text, "", None) }
    };
    units.into_iter().map(told).collect()
}

/// The worst place beyond what is allowed.
fn beyond(brief: &Brief, w: &PlannedWalkDto, noise: f64) -> Option<TrapDto> {
    let asked = w.places.iter().filter_map(|p| p.limit).reduce(f64::max)?;
    if noise > asked {
        return None;
    }
    let over = |p: &&crate::dto::WalkPlaceDto| p.limit.is_some_and(|l| p.error95 > l);
    let worst = w.places.iter().filter(over).max_by(|a, b| a.error95.total_cmp(&b.error95))?;
    let share = w.places.iter().filter(over).count() as f64 / w.places.len() as f64;
    let text = format!(
        "A point measured {} along it has 95 % of {}, allowed are {}; so has {:.0} % of the way. Known points where they are advised, \
         scans that show the same, or a way that comes back hold it.",
        brief.length(worst.metres),
        brief.length(worst.error95),
        brief.length(worst.limit.unwrap_or_default()),
        100.0 * share,
    );
    Some(trap("failed", format!("{} drifts beyond what is allowed", w.name), text, &w.name, Some(worst.at)))
}

/// The longest stretch that nothing holds.
fn once(brief: &Brief, w: &PlannedWalkDto) -> Option<TrapDto> {
    let mut longest: Option<(f64, [f64; 2])> = None;
    let mut from: Option<f64> = None;
    for p in &w.places {
        if p.held != HeldWord::Nothing {
            from = None;
            continue;
        }
        let since = p.metres - *from.get_or_insert(p.metres);
        if since > ALONE && longest.is_none_or(|l| since > l.0) {
            longest = Some((since, p.at));
        }
    }
    let (long, at) = longest?;
    let text = format!(
        "Along {} no scan shows the same and it comes back to nothing: what it drifts there shows nowhere. Come back the same way, or close \
         a loop.",
        brief.way(long, 1)
    );
    Some(trap("doubtful", format!("{} passes once only", w.name), text, &w.name, Some(at)))
}

fn too_fast(brief: &Brief, walks: &[PlannedWalkDto], carried: &[(&Unit, &Course, f64)], s: &Slow) -> Option<TrapDto> {
    let (w, course) = (walks.get(s.walk)?, carried.get(s.walk)?.1);
    let [a, b] = s.spots.map(|k| course.spots[k]);
    let middle = course.spots[usize::midpoint(s.spots[0], s.spots[1])].at;
    let text = format!(
        "From {} to {} along it {:.1} m² are too coarse: at {} a second nine tenths of it would do.",
        brief.way(a.walked, 1),
        brief.way(b.walked, 1),
        s.area,
        brief.way(s.pace, 2)
    );
    Some(trap("doubtful", format!("{} is too fast", w.name), text, &w.name, Some([middle.x, middle.y])))
}

/// Units that are empty before all is walked.
fn batteries(walks: &[PlannedWalkDto], carried: &[(&Unit, &Course, f64)]) -> Vec<TrapDto> {
    let mut out: Vec<TrapDto> = Vec::new();
    let mut told: Vec<&str> = Vec::new();
    for (_, (unit, _, _)) in walks.iter().zip(carried) {
        if told.contains(&unit.name.as_str()) {
            continue;
        }
        told.push(&unit.name);
        let all: f64 = walks.iter().filter(|w| w.unit == unit.name).map(|w| w.seconds).fold(0.0, |a, b| a + b);
        let needs = (all / unit.handling.battery).ceil();
        if needs > 1.0 {
            let what = if unit.handling.swappable {
                format!("Take {needs:.0} batteries.")
            } else {
                "It is charged from outside: plan the time for that, or take a second one.".into()
            };
            let text = format!(
                "{:.0} min of walking, and a battery lasts {:.0} min. {what}",
                all / 60.0,
                unit.handling.battery / 60.0
            );
            out.push(trap(
                "doubtful",
                format!("One battery does not last: {}", unit.name.to_lowercase()),
                text,
                "",
                None,
            ));
        }
    }
    out
}

/// Nothing fixes the walks.
pub(crate) fn unframed() -> TrapDto {
    let text = "No scan of the plan and no known mark holds the walks: errors are seen from where the first one begins, and nothing shows \
                where that is. Let it stand on two marks that will be known, or begin where a scan stands."
        .into();
    trap("doubtful", "Walks that nothing holds".into(), text, "", None)
}

fn passes(n: usize) -> String {
    if n == 1 { "One pass".into() } else { format!("{n} passes") }
}

pub(crate) fn walked(lines: usize, places: usize, covered: f64) -> String {
    let all = if lines == 1 { "it begins and ends" } else { "each begins and ends" };
    format!(
        "{} by {places} places to look from, which show {:.0} % of what can be shown from this floor; {all} at the start.",
        passes(lines),
        100.0 * covered
    )
}

pub(crate) fn swept(brief: &Brief, lines: usize, apart: f64) -> String {
    format!("{} in strips {} apart, from the start and back.", passes(lines), brief.length(apart))
}

pub(crate) fn cut(brief: &Brief, lines: usize) -> String {
    if lines == 1 {
        "It is short enough as it is.".into()
    } else {
        format!("{lines} passes, each beginning {} before the one before it ends.", brief.length(OVERLAP))
    }
}
