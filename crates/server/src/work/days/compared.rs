//! The same site by other ways of measuring: what they take, by the job's own figures and stated assumptions.

use super::Days;
use crate::dto::{WayDto, WayWord};
use crate::words::days as words;
use vistazo_core::day::{Problem, Timetable, Work};
use vistazo_core::mobile::units;
use vistazo_core::walks::half_way;

/// Seconds of a person that look at one scan that is tied by itself.
const LOOK: f64 = 60.0;

/// This plan, the same scans tied by hand, a mobile walk, a tape measure.
pub(super) fn ways(days: &Days, p: &Problem, t: &Timetable) -> Vec<WayDto> {
    let a = days.settings.assumed;
    let stops = p.stops.len() as f64;
    let people = p.people as f64;
    let spans = p.shifts.iter().zip(&t.ends).filter_map(|(s, e)| e.map(|e| e - s.from));
    let rests = t.spent(Work::Break) / people.max(1.0);
    let site = (spans.fold(0.0, |a, b| a + b) - rests).max(0.0);
    let targets = &days.cover.prediction.targets;
    let error = targets.iter().map(|t| t.error.spatial).max_by(f64::total_cmp);
    let one = |way, site: f64, people: f64, office, error, said| WayDto {
        way,
        site,
        labour: site * people,
        office,
        error,
        said,
    };
    let around = p.pace.arrive + p.pace.induction + p.pace.check + p.pace.pack;
    let ties = (stops - 1.0).max(0.0);
    // there and back, so that it closes
    let walked = 2.0 * vistazo_core::day::carried(p, &days.order) * days.settings.walk;
    let walk = walked / a.mobile_pace;
    let unit = units().into_iter().next();
    let off = unit.map(|u| 2.795 * half_way(&u, walked / 2.0, a.mobile_pace));
    let walls = &days.plan.site.walls;
    let faces: usize = walls.iter().map(|w| w.line.len().saturating_sub(1)).sum();
    let openings: usize = walls.iter().map(|w| w.openings.len()).sum();
    let lengths = faces as f64 * a.lengths[0] + openings as f64 * a.lengths[1];
    vec![
        one(WayWord::Planned, site, people, stops * LOOK, error, words::this_plan(stops, LOOK)),
        one(WayWord::ByHand, site, people, ties * a.tie_by_hand, None, words::by_hand(ties, a.tie_by_hand)),
        one(WayWord::Mobile, around + walk, 1.0, walk * a.mobile_office, off, words::by_mobile(&days.brief, walked)),
        one(WayWord::Tape, around + lengths * a.taped, 2.0, 0.0, None, words::by_tape(lengths, faces, openings)),
    ]
}
