//! What is to be built in the demo's workshop wing, as a fitter would hand it over: some of it stands, one piece beside its
//! place, the rest is still to come, two of it where something else stands.

use crate::App;
use crate::work::built::StoredElement;
use vistazo_core::geometry::Vec3;
use vistazo_formats::design;
use vistazo_sim::Roundhouse;
use vistazo_store::Uuid;
use vistazo_store::designs;

/// A piece: kind and name; the measures before the places; both ends on the plan, metres.
type Piece = (&'static str, &'static str, &'static [f64], [[f64; 3]; 2]);
const PIECES: [Piece; 7] = [
    ("wall", "Partition A", &[0.0, 3.1, 0.0], [[37.0, -12.6, 0.0], [37.0, -6.9, 0.0]]),
    ("wall", "Counter front", &[0.0, 1.15, 0.0], [[31.2, -10.065, 0.0], [33.6, -10.065, 0.0]]),
    ("wall", "Show case front", &[0.0, 2.45, 0.0], [[40.2, -11.2, 0.0], [41.1, -11.2, 0.0]]),
    ("wall", "Partition B", &[0.0, 3.0, 0.1], [[33.0, -4.1, 0.0], [33.0, 1.2, 0.0]]),
    ("wall", "Partition C", &[0.0, 3.0, 0.1], [[39.5, -9.0, 0.0], [39.5, -6.9, 0.0]]),
    ("pipe", "Duct 1", &[0.25], [[28.2, -5.5, 2.75], [45.6, -5.5, 2.75]]),
    ("pipe", "Duct 2", &[0.2], [[40.65, -13.3, 2.3], [40.65, -7.0, 2.3]]),
];
/// How far beside its place something may be, metres.
const TOLERANCE: f64 = 0.015;

/// The file, on the grid.
fn text(house: &Roundhouse) -> String {
    let mut out = "# Fit-out of the workshop wing, made up\n".to_owned();
    for (kind, name, measures, places) in PIECES {
        out += &format!("{kind};{name}");
        let heights = if kind == "wall" { 2 } else { 0 };
        for (k, m) in measures.iter().enumerate() {
            out += &format!(";{:.4}", if k < heights { m + house.origin.z } else { *m });
        }
        for p in places {
            let g = house.on_grid(&Vec3::from(p));
            out += &format!(";{:.4};{:.4}", g.x, g.y);
            if kind == "pipe" {
                out += &format!(";{:.4}", g.z);
            }
        }
        out.push('\n');
    }
    out
}

pub(super) async fn add(app: &App, job: Uuid, user: Uuid, house: &Roundhouse) -> anyhow::Result<()> {
    let lines = design::read(&text(house), 1.0)?;
    let elements: Vec<StoredElement> = lines.iter().map(|l| StoredElement::of(l, 1.0)).collect();
    designs::add_design(&app.db, job, user, "Fit-out of the wing", &serde_json::json!(elements), TOLERANCE).await?;
    Ok(())
}
