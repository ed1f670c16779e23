//! What scans show of required surfaces: planted holes come out as they were planted, and the station that is proposed for
//! them sees them.

use nalgebra::Vector2;
use vistazo_core::check::{Hole, Shown, SurfaceCounter, holes};
use vistazo_core::geometry::Vec3;
use vistazo_core::instrument::Instrument;
use vistazo_core::plan::{Demand, Obstacle, Sample, Site, Slab, Station, Surface, Wall, Wish, cover, fill, sample};

const GRID: f64 = 0.25;

fn wall(id: usize, a: [f64; 2], b: [f64; 2]) -> Wall {
    let line = vec![Vector2::from(a), Vector2::from(b)];
    Wall { demand: Some(Demand::spaced(0.02)), ..Wall::plain(id, line, 0.0, 3.0) }
}

/// A room of 12 × 8 m whose four walls are wanted at 20 mm.
fn room() -> Site {
    let [a, b, c, d] = [[0.0, 0.0], [12.0, 0.0], [12.0, 8.0], [0.0, 8.0]];
    // the ground goes on outside: the walls have another face there, which nobody asks for
    let outline = [[-6.0, -6.0], [18.0, -6.0], [18.0, 14.0], [-6.0, 14.0]].map(Vector2::from).to_vec();
    let floor = Slab { outline, height: 0.0, demand: None };
    Site {
        walls: vec![wall(0, a, b), wall(1, b, c), wall(2, c, d), wall(3, d, a)],
        slabs: vec![floor],
        ..Site::default()
    }
}

/// Points 10 mm apart on every wall, and on the floor, as `keep` moves them or leaves them out.
fn scanned(site: &Site, keep: impl Fn(usize, f64, Vec3, Vec3, usize) -> Option<Vec3>) -> (Vec<Sample>, Shown) {
    let samples = sample(site, GRID);
    let mut counter = SurfaceCounter::new(&samples, GRID);
    let mut n = 0;
    for w in &site.walls {
        let steps = (w.length() / 0.01) as usize;
        for i in 0..steps {
            let along = (i as f64 + 0.5) * 0.01;
            let (foot, d) = w.point_at(along).unwrap();
            for j in 0..300 {
                n += 1;
                let (p, normal) = (foot.push((f64::from(j) + 0.5) * 0.01), Vec3::new(d.y, -d.x, 0.0));
                if let Some(p) = keep(w.id, along, p, normal, n) {
                    counter.add(&p);
                }
            }
        }
    }
    for k in 0..1200 * 800 {
        counter.add(&Vec3::new(f64::from(k % 1200) * 0.01, f64::from(k / 1200) * 0.01, 0.0));
    }
    (samples, counter.result())
}

fn of(holes: &[Hole], wall: usize) -> &Hole {
    holes.iter().find(|h| h.surface == Surface::Wall(wall)).unwrap()
}

#[test]
fn planted_holes_are_found_for_what_they_are() {
    let site = room();
    let (_, whole) = scanned(&site, |_, _, p, _, _| Some(p));
    assert!((whole.total - 120.0).abs() < 1e-6 && whole.within == whole.total, "{} {}", whole.within, whole.total);
    assert!((whole.typical - 0.01).abs() < 0.001, "{}", whole.typical);
    let (samples, shown) = scanned(&site, |wall, along, p, normal, n| match wall {
        // nothing between 4 and 6 m, from 1 to 2 m up
        0 if (4.0..6.0).contains(&along) && (1.0..2.0).contains(&p.z) => None,
        // one in nine over the last two metres: 30 mm instead of 20
        1 if along > 6.0 => (n % 9 == 0).then_some(p),
        // built 90 mm out over three metres
        2 if (2.0..5.0).contains(&along) => Some(p + 0.09 * normal),
        // 40 mm out is where it is drawn, for a plan
        3 => Some(p - 0.04 * normal),
        _ => Some(p),
    });
    let planned: Vec<bool> = samples.iter().map(|s| s.surface == Surface::Wall(0)).collect();
    let (found, small) = holes(&samples, &shown, &planned);
    assert_eq!((found.len(), small), (3, 0.0), "{found:?}");
    assert!(found.windows(2).all(|w| w[0].area >= w[1].area));
    let gap = of(&found, 0);
    assert!((gap.area - 2.0).abs() < 1e-6 && gap.lacks == [gap.area, 0.0, 0.0] && gap.planned == 1.0, "{gap:?}");
    assert_eq!((gap.along, gap.heights), ([4.0, 6.0], [1.0, 2.0]));
    let thin = of(&found, 1);
    assert!((thin.area - 6.0).abs() < 1e-6 && thin.lacks[1] == thin.area && thin.planned == 0.0, "{thin:?}");
    let out = of(&found, 2);
    assert!((out.area - 9.0).abs() < 1e-6 && (out.beside.unwrap() - 0.09).abs() < 1e-3, "{out:?}");
    let lacking: f64 = found.iter().map(|h| h.area).sum();
    assert!((shown.within + lacking - shown.total).abs() < 1e-6);
}

/// Two blind corners behind cupboards: one station for each, free, within sight of what it is for, tied to one that stands.
#[test]
fn the_station_that_is_proposed_sees_what_was_missing() {
    let mut site = room();
    let cupboard = |x0: f64, x1: f64, y0: f64, y1: f64| Obstacle {
        outline: [[x0, y0], [x1, y0], [x1, y1], [x0, y1]].map(Vector2::from).to_vec(),
        base: 0.0,
        top: 3.0,
    };
    site.obstacles = vec![cupboard(2.0, 2.3, 0.0, 4.5), cupboard(9.7, 10.0, 3.5, 8.0)];
    let instrument = Instrument::mid_range();
    let stand = vec![Vec3::new(6.0, 4.0, 1.7)];
    let stations = [Station::at("S1", stand[0])];
    let seen = cover(&site, &stations, &instrument, GRID);
    let samples = sample(&site, GRID);
    let missing: Vec<usize> =
        (0..samples.len()).filter(|&i| samples[i].demand.is_some() && seen.count(i) == 0).collect();
    let left: Vec<usize> = missing.iter().copied().filter(|&i| samples[i].position.x < 6.0).collect();
    let right: Vec<usize> = missing.iter().copied().filter(|&i| samples[i].position.x >= 6.0).collect();
    assert!(left.len() > 50 && right.len() > 50, "{} {}", left.len(), right.len());
    let wish = Wish { candidate_grid: 1.0, ..Wish::default() };
    let (found, beyond) = fill(&site, &samples, &instrument, &[left, right], &stand, &wish);
    assert!(beyond < 2.0 && found.len() >= 2 && found[1].area > 15.0, "{found:?} {beyond}");
    let all: Vec<Station> = found.iter().map(|f| Station::at("", f.position)).chain(stations).collect();
    let now = cover(&site, &all, &instrument, GRID);
    let still: f64 = missing.iter().filter(|&&i| now.count(i) == 0).map(|&i| samples[i].area()).sum();
    let was: f64 = missing.iter().map(|&i| samples[i].area()).sum();
    let brought: f64 = found.iter().map(|f| f.area).sum();
    assert!((was - still - brought).abs() < 1e-6 && still <= beyond + 0.3, "{was} {still} {brought} {beyond}");
    for f in &found {
        let (_, shared) = f.beside.unwrap();
        let at = f.position;
        let inside = (0.0..12.0).contains(&at.x) && (0.0..8.0).contains(&at.y);
        assert!(inside && site.is_free(&at.xy(), 0.05, 1.9, 0.3) && shared > 0.05, "{f:?}");
    }
    let parts: Vec<usize> = found.iter().flat_map(|f| f.parts.iter().copied()).collect();
    assert!(parts.contains(&0) && parts.contains(&1), "{parts:?}");
    // what no free place sees is said to be beyond
    let walled = Site { no_go: vec![vistazo_core::plan::NoGo { outline: site.slabs[0].outline.clone() }], ..site };
    let (none, beyond) = fill(&walled, &samples, &instrument, &[missing], &stand, &wish);
    assert!(none.is_empty() && (beyond - was).abs() < 1e-6);
}
