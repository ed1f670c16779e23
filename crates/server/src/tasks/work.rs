//! What there is to do, as it is queued.

use super::Stop;
use crate::dto::{GroundRequest, PackageOptions, PaintDto, ProposeRequest, SolidsRequest, UploadOptions};
use crate::{ApiError, App};
use serde::{Deserialize, Serialize};
use uuid::Uuid;
use vistazo_store::tasks::{self, Task};

/// A piece of background work. Its name and what is in it are two columns of the queue.
#[derive(Clone, Debug, Serialize, Deserialize)]
#[serde(tag = "kind", content = "payload", rename_all = "snake_case")]
pub(crate) enum Work {
    /// The simulated scanner takes a planned station.
    Scan { station: Uuid, log: serde_json::Value, name: String },
    /// A file that came in is read.
    Ingest { upload: Uuid, name: String },
    /// The files of a pass are read.
    Pass { pass: Uuid, name: String },
    /// The simulated mobile unit walks a way on the plan, metres.
    Walk { name: String, unit: String, way: Vec<[f64; 3]> },
    /// Passes are brought to the scans, and their paths corrected.
    Walks {},
    /// Targets are looked for, the block is adjusted and judged.
    Register {},
    /// A scan that came in is tied to one of those before it, for whoever still stands there.
    QuickTie { scan: Uuid, to: Option<Uuid> },
    /// Scans are brought together by what they show, then the block is adjusted.
    Tie {},
    /// The spacing on required surfaces is measured.
    Spacing {},
    /// Points that do not belong get their class.
    Clean {},
    /// Scans are set against one another.
    Compare {},
    /// The clouds are set against independent surveys.
    Survey {},
    /// What is to be built is looked for.
    Built {},
    /// A floor plan is drawn.
    Draw { sheet: Uuid },
    /// Solids are looked for.
    Solids(SolidsRequest),
    /// The picture of an elevation is made.
    Picture { elevation: Uuid },
    /// The ground is found.
    Ground(GroundRequest),
    /// The clouds are coloured from photographs.
    Paint(PaintDto),
    /// Stations are proposed.
    Propose(ProposeRequest),
    /// The package is made.
    Package(PackageOptions),
}

impl Work {
    /// As the row of the queue says it.
    pub(super) fn of(task: &Task) -> Result<Self, Stop> {
        serde_json::from_value(serde_json::json!({ "kind": task.kind, "payload": task.payload }))
            .map_err(|e| Stop::Failed(format!("this program cannot do the task “{}”: {e}", task.kind)))
    }

    /// What is to be done with a file that is whole.
    pub(crate) fn of_upload(upload: &vistazo_store::uploads::Upload) -> Self {
        let name = upload.file_name.clone();
        match serde_json::from_value::<UploadOptions>(upload.options.clone()) {
            Ok(UploadOptions { pass: Some(pass), .. }) => Self::Pass { pass, name },
            _ => Self::Ingest { upload: upload.id, name },
        }
    }

    /// Name and content, as the queue keeps them.
    pub(crate) fn row(&self) -> Result<(String, serde_json::Value), ApiError> {
        let mut row = serde_json::to_value(self).map_err(|e| ApiError::bad(e.to_string()))?;
        Ok((row["kind"].as_str().unwrap_or_default().to_owned(), row["payload"].take()))
    }
}

/// Queues a piece of work.
///
/// # Errors
/// When too much waits in the job already, or the database fails.
pub(crate) async fn queue(app: &App, job: Uuid, work: &Work, user: Option<Uuid>) -> Result<Task, ApiError> {
    let (kind, payload) = work.row()?;
    Ok(tasks::add(&app.db, job, &kind, &payload, user).await?)
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn work_comes_out_of_its_row_as_it_went_in() {
        let all = [
            Work::Scan { station: Uuid::now_v7(), log: serde_json::json!({"note": "x"}), name: "S1".into() },
            Work::Ingest { upload: Uuid::now_v7(), name: "database: x.e57".into() },
            Work::Pass { pass: Uuid::now_v7(), name: "Walk 1".into() },
            Work::Walk { name: "Walk 1".into(), unit: "Hand-held".into(), way: vec![[0.5, 1.0, 1.4]] },
            Work::Walks {},
            Work::Register {},
            Work::Tie {},
            Work::QuickTie { scan: Uuid::now_v7(), to: None },
            Work::Spacing {},
            Work::Clean {},
            Work::Compare {},
            Work::Survey {},
            Work::Paint(PaintDto { scan: Some(Uuid::now_v7()) }),
            Work::Built {},
            Work::Draw { sheet: Uuid::now_v7() },
            Work::Solids(SolidsRequest { sheet: Uuid::now_v7(), up: 8.0 }),
            Work::Picture { elevation: Uuid::now_v7() },
            Work::Ground(GroundRequest {
                cell: 0.25,
                reach: 40.0,
                widest: 5.0,
                slope: 0.3,
                tolerance: 0.01,
                longest: 3.0,
            }),
            Work::Package(PackageOptions::default()),
        ];
        for work in all {
            let (kind, payload) = work.row().unwrap();
            let again =
                serde_json::from_value::<Work>(serde_json::json!({ "kind": kind, "payload": payload })).unwrap();
            assert_eq!(format!("{work:?}"), format!("{again:?}"));
        }
        // rows of earlier programs, and of later ones
        assert!(serde_json::from_value::<Work>(serde_json::json!({ "kind": "register", "payload": {} })).is_ok());
        assert!(serde_json::from_value::<Work>(serde_json::json!({ "kind": "dream", "payload": {} })).is_err());
    }
}
