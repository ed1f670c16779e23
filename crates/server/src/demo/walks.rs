//! The demo's walks: the workshop wing with a hand-held unit, in three passes that overlap at the doors, and the yard with a
//! telephone.

use crate::App;
use crate::dto::PlanData;
use crate::tasks::{Work, queue};
use vistazo_store::Uuid;

/// Name and way on the plan, metres; the unit is carried at [`HIGH`].
type Pass = (&'static str, &'static [[f64; 2]]);
const PASSES: [Pass; 3] = [
    (
        "Wing pass 1",
        &[
            [24.6, -5.4],
            [28.8, -5.5],
            [32.5, -5.6],
            [32.5, -7.8],
            [30.2, -8.4],
            [30.0, -11.5],
            [34.8, -11.3],
            [35.4, -8.2],
            [32.5, -7.7],
            [32.5, -5.5],
            [28.8, -5.4],
        ],
    ),
    (
        "Wing pass 2",
        &[
            [30.2, -5.5],
            [33.2, -5.4],
            [33.2, -3.1],
            [31.0, -2.5],
            [31.0, 0.5],
            [32.2, 0.9],
            [34.7, 0.4],
            [35.0, -2.6],
            [33.2, -3.1],
            [33.2, -5.4],
            [30.2, -5.5],
        ],
    ),
    (
        "Wing pass 3",
        &[
            [32.4, -5.5],
            [37.0, -5.4],
            [41.2, -5.6],
            [41.2, -7.7],
            [39.1, -8.6],
            [38.8, -12.3],
            [41.7, -12.2],
            [44.6, -11.4],
            [44.8, -8.2],
            [41.2, -7.6],
            [41.2, -5.4],
            [44.2, -5.7],
            [41.0, -5.3],
            [36.0, -5.5],
        ],
    ),
];
const HIGH: f64 = 1.4;

/// The yard, to and fro with a telephone, along the fence twice, for information: the nails that it stands on hold it.
const YARD: Pass = (
    "Yard sweep",
    &[
        [-13.0, -11.3],
        [13.0, -11.3],
        [13.0, -15.2],
        [-13.0, -15.2],
        [-12.0, -18.7],
        [12.0, -18.7],
        [8.0, -21.6],
        [0.0, -21.8],
        [-8.0, -21.8],
        [-13.5, -18.2],
        [-7.0, -21.2],
        [0.0, -22.8],
        [7.0, -21.2],
        [12.0, -18.7],
        [0.0, -16.9],
        [-13.0, -11.3],
    ],
);

/// Each walk with its unit.
fn all() -> impl Iterator<Item = (Pass, &'static str)> {
    PASSES.into_iter().map(|p| (p, "Hand-held")).chain([(YARD, "Phone-grade")])
}

/// The walks as the plan has them.
pub(super) fn planned() -> impl Iterator<Item = PlanData> {
    all().map(|((name, way), unit)| PlanData {
        name: name.into(),
        unit: Some(unit.into()),
        line: way.to_vec(),
        ..PlanData::default()
    })
}

/// Queues the walks.
pub(super) async fn add(app: &App, job: Uuid, user: Uuid) -> anyhow::Result<()> {
    for ((name, way), unit) in all() {
        let way = way.iter().map(|p| [p[0], p[1], HIGH]).collect();
        let work = Work::Walk { name: name.into(), unit: unit.into(), way };
        queue(app, job, &work, Some(user)).await?;
    }
    Ok(())
}
