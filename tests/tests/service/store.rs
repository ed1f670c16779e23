//! The store by itself: work that is taken by one at a time whatever happens to the workers, edits of which exactly one
//! goes through, and bytes that are what was stored or are said to be damaged.

use futures::future::join_all;
use rand::seq::IndexedRandom;
use rand::{Rng, RngCore, SeedableRng};
use rand_chacha::ChaCha8Rng;
use serde_json::json;
use std::collections::BTreeMap;
use uuid::Uuid;
use vistazo_store::jobs::{PlanEdit, Role};
use vistazo_store::results::NewControl;
use vistazo_store::tasks::{self, MOST_LOST, Task};
use vistazo_store::{Objects, PgPool, StoreError, connect, jobs, people, results};
use vistazo_tests::Database;

async fn opened(own: &Database) -> (PgPool, Uuid) {
    let db = connect(&own.url).await.unwrap();
    let user = people::add_user(&db, "q@test.example", "Q", "x").await.unwrap();
    (db, user.id)
}

async fn job(db: &PgPool, owner: Uuid, name: &str) -> Uuid {
    jobs::create(db, owner, name, &json!({}), None).await.unwrap().id
}

/// The worker of a task falls silent: its last beat is long ago.
async fn silence(db: &PgPool, task: &Task) {
    sqlx::query("update tasks set beat_at = now() - interval '1 hour' where id = $1")
        .bind(task.id)
        .execute(db)
        .await
        .unwrap();
}

/// What a test knows of a task without asking the store.
#[derive(Clone, Debug, Default)]
struct Known {
    ended: bool,
    cancelled: bool,
    /// The worker that has it, as far as the store should say.
    held: Option<usize>,
    /// The worker that had it and fell silent; as long as nobody else took it, it may come back.
    silent: Option<usize>,
}

impl Known {
    fn is_of(&self, worker: usize) -> bool {
        self.held == Some(worker) || self.silent == Some(worker)
    }
}

/// Four workers, three jobs and much misfortune: no task is held by two, what ended stays as it ended, a worker that was
/// taken for dead ends nothing, and all work is done in the end.
#[tokio::test]
async fn work_is_held_by_one_whatever_happens() {
    let own = Database::make().await;
    let (db, user) = opened(&own).await;
    let names = ["w0", "w1", "w2", "w3"];
    for seed in 0..6 {
        let mut rng = ChaCha8Rng::seed_from_u64(seed);
        let ids = [job(&db, user, "A").await, job(&db, user, "B").await, job(&db, user, "C").await];
        let mut known: BTreeMap<Uuid, Known> = BTreeMap::new();
        // what each worker believes it holds
        let mut hands: [Option<Task>; 4] = Default::default();
        for _ in 0..160 {
            let w = rng.random_range(0..4);
            let at = *ids.choose(&mut rng).unwrap();
            match rng.random_range(0..12) {
                0..=3 => {
                    let kind = *["ingest", "scan", "register"].choose(&mut rng).unwrap();
                    let t = tasks::add(&db, at, kind, &json!({}), Some(user)).await.unwrap();
                    known.insert(t.id, Known::default());
                }
                4..=6 if hands[w].is_none() => {
                    let Some(t) = tasks::take(&db, names[w], false).await.unwrap() else { continue };
                    let k = known.get_mut(&t.id).unwrap();
                    assert!(!k.ended && k.held.is_none(), "seed {seed}: {} was taken while {k:?}", t.kind);
                    if t.kind == "scan" {
                        let running = tasks::of_job(&db, t.job_id).await.unwrap();
                        let scans = running.iter().filter(|o| o.kind == "scan" && o.state == "running").count();
                        assert_eq!(scans, 1, "one instrument scans once at a time");
                    }
                    (k.held, k.silent) = (Some(w), None);
                    hands[w] = Some(t);
                }
                7 | 8 => {
                    let Some(t) = hands[w].take() else { continue };
                    let k = known.get_mut(&t.id).unwrap();
                    let mine = k.is_of(w);
                    let stop = tasks::beat(&db, &t, names[w], 0.5, "half").await.unwrap();
                    assert_eq!(stop, !mine || k.cancelled, "seed {seed}: what a worker is told of {k:?}");
                    tasks::finish(&db, &t, names[w], if stop { "cancelled" } else { "done" }, "end").await.unwrap();
                    if mine {
                        (k.ended, k.held, k.silent) = (true, None, None);
                    }
                }
                9 => {
                    // it fell silent, and goes on believing
                    let Some(t) = &hands[w] else { continue };
                    let k = known.get_mut(&t.id).unwrap();
                    if k.held == Some(w) {
                        silence(&db, t).await;
                        (k.held, k.silent) = (None, Some(w));
                    }
                }
                10 => {
                    let Some(t) = hands[w].take() else { continue };
                    tasks::put_back(&db, &t, names[w], "the data was away").await.unwrap();
                    let k = known.get_mut(&t.id).unwrap();
                    if k.is_of(w) {
                        (k.held, k.silent) = (None, None);
                        sqlx::query("update tasks set not_before = now() where id = $1")
                            .bind(t.id)
                            .execute(&db)
                            .await
                            .unwrap();
                    }
                }
                _ => {
                    let open: Vec<Uuid> = known.iter().filter(|k| !k.1.ended).map(|k| *k.0).collect();
                    let Some(id) = open.choose(&mut rng) else { continue };
                    for j in ids {
                        tasks::cancel(&db, j, *id).await.unwrap();
                    }
                    let k = known.get_mut(id).unwrap();
                    let state: String = sqlx::query_scalar("select state from tasks where id = $1")
                        .bind(id)
                        .fetch_one(&db)
                        .await
                        .unwrap();
                    k.cancelled = true;
                    k.ended = state == "cancelled";
                }
            }
            // two that believe so: at most one of them does hold it
            for (id, k) in &known {
                let t: (String, Option<String>) = sqlx::query_as("select state, worker from tasks where id = $1")
                    .bind(id)
                    .fetch_one(&db)
                    .await
                    .unwrap();
                if let Some(w) = k.held {
                    assert_eq!(t, ("running".into(), Some(names[w].into())), "seed {seed}");
                }
                assert_eq!(
                    ["done", "cancelled", "failed"].contains(&t.0.as_str()),
                    k.ended,
                    "seed {seed}: {t:?} {k:?}"
                );
            }
        }
        // nobody is left out
        sqlx::query("update tasks set beat_at = now() - interval '1 hour' where state = 'running'")
            .execute(&db)
            .await
            .unwrap();
        while let Some(t) = tasks::take(&db, "last", false).await.unwrap() {
            tasks::finish(&db, &t, "last", "done", "").await.unwrap();
        }
        let open: i64 = sqlx::query_scalar("select count(*) from tasks where state in ('queued', 'running')")
            .fetch_one(&db)
            .await
            .unwrap();
        assert_eq!(open, 0, "seed {seed}");
    }
}

#[tokio::test]
async fn jobs_take_turns_and_what_ends_its_workers_is_given_up() {
    let own = Database::make().await;
    let (db, user) = opened(&own).await;
    let (many, few) = (job(&db, user, "Many").await, job(&db, user, "Few").await);
    for _ in 0..20 {
        tasks::add(&db, many, "ingest", &json!({}), None).await.unwrap();
    }
    for _ in 0..2 {
        tasks::add(&db, few, "ingest", &json!({}), None).await.unwrap();
    }
    // by hand at once: taken by as many workers as there are, never twice
    let taken = join_all((0..6).map(|k| {
        let db = db.clone();
        async move { tasks::take(&db, &format!("w{k}"), false).await.unwrap().unwrap() }
    }))
    .await;
    let mut ids: Vec<Uuid> = taken.iter().map(|t| t.id).collect();
    ids.sort();
    ids.dedup();
    assert_eq!(ids.len(), 6);
    for (k, t) in taken.iter().enumerate() {
        tasks::finish(&db, t, &format!("w{k}"), "done", "").await.unwrap();
    }
    // one after the other the small job's comes as soon as the large one has something running
    tasks::add(&db, few, "ingest", &json!({}), None).await.unwrap();
    let first = tasks::take(&db, "a", false).await.unwrap().unwrap();
    let second = tasks::take(&db, "b", false).await.unwrap().unwrap();
    assert_ne!(first.job_id, second.job_id, "a job with twenty tasks keeps nobody waiting");
    // it ends its workers
    for k in 0..MOST_LOST {
        if k > 0 {
            let again: Task = loop {
                let t = tasks::take(&db, "a", false).await.unwrap().unwrap();
                if t.id == first.id {
                    break t;
                }
                tasks::finish(&db, &t, "a", "done", "").await.unwrap();
            };
            assert_eq!(again.id, first.id);
        }
        tasks::lost(&db, "a").await.unwrap();
    }
    let end = tasks::get(&db, first.job_id, first.id).await.unwrap();
    assert_eq!(end.state, "failed");
    assert!(end.message.contains("out of memory"), "{}", end.message);
    // somebody may still try
    let again = tasks::retry(&db, first.job_id, first.id).await.unwrap();
    assert_eq!((again.state.as_str(), again.attempts), ("queued", 0));
    assert!(matches!(tasks::retry(&db, first.job_id, first.id).await, Err(StoreError::NotFound)), "it waits already");
}

fn edit(id: Uuid, name: &str, version: Option<i32>) -> PlanEdit {
    PlanEdit { id, kind: "station".into(), data: json!({ "name": name }), version, deleted: false }
}

/// Many save what they saw at the same moment: one goes through, the others are told, nothing is mixed.
#[tokio::test]
async fn of_edits_at_once_exactly_one_goes_through() {
    let own = Database::make().await;
    let (db, user) = opened(&own).await;
    let id = job(&db, user, "J").await;
    let items: Vec<Uuid> = (0..4).map(|_| Uuid::now_v7()).collect();
    let made: Vec<PlanEdit> = items.iter().map(|i| edit(*i, "new", None)).collect();
    jobs::edit_plan(&db, id, &made).await.unwrap();
    for round in 1..=12 {
        // each touches all of them, in an order of its own
        let tries = join_all((0..8).map(|k| {
            let (db, mut all) = (db.clone(), items.clone());
            all.rotate_left(k % 4);
            if k > 3 {
                all.reverse();
            }
            async move {
                let edits: Vec<PlanEdit> =
                    all.iter().map(|i| edit(*i, &format!("{round} by {k}"), Some(round))).collect();
                jobs::edit_plan(&db, id, &edits).await
            }
        }))
        .await;
        let won = tries.iter().filter(|t| t.is_ok()).count();
        let told = tries.iter().filter(|t| matches!(t, Err(StoreError::Conflict))).count();
        assert_eq!((won, told), (1, 7), "{:?}", tries.iter().filter_map(|t| t.as_ref().err()).collect::<Vec<_>>());
        let now = jobs::plan(&db, id).await.unwrap();
        assert!(now.iter().all(|i| i.version == round + 1 && i.data == now[0].data), "{now:?}");
    }
    // the same of the brief
    let version = jobs::get(&db, id).await.unwrap().version;
    let saves = join_all((0..8).map(|k| {
        let db = db.clone();
        async move { jobs::update(&db, id, "J", &json!({ "by": k }), version).await }
    }))
    .await;
    assert_eq!(saves.iter().filter(|s| s.is_ok()).count(), 1);
    // and of control points, sent as whole lists
    let point = |k: usize| NewControl {
        name: format!("P{k}"),
        e: Some(1.0),
        n: Some(2.0),
        h: Some(3.0),
        sigma_e: 0.001,
        sigma_n: 0.001,
        sigma_v: 0.001,
        is_check: false,
        target: None,
    };
    let (up, down): (Vec<_>, Vec<_>) = ((0..30).map(point).collect(), (0..30).rev().map(point).collect());
    let lists = join_all((0..8).map(|k| {
        let (db, list) = (db.clone(), if k % 2 == 0 { up.clone() } else { down.clone() });
        async move { results::put_control(&db, id, &list, true).await }
    }))
    .await;
    assert!(lists.iter().all(Result::is_ok), "{lists:?}");
    assert_eq!(results::control(&db, id).await.unwrap().len(), 30);
}

#[tokio::test]
async fn a_job_keeps_an_owner() {
    let own = Database::make().await;
    let (db, user) = opened(&own).await;
    for round in 0..6 {
        let id = job(&db, user, "J").await;
        let other = people::add_user(&db, &format!("o{round}@test.example"), "O", "x").await.unwrap().id;
        jobs::set_member(&db, id, other, Some(Role::Owner)).await.unwrap();
        // each takes the other out at the same moment
        let both = join_all([user, other].map(|u| {
            let db = db.clone();
            async move { jobs::set_member(&db, id, u, None).await }
        }))
        .await;
        assert_eq!(both.iter().filter(|r| r.is_ok()).count(), 1, "{both:?}");
        assert_eq!(jobs::members(&db, id).await.unwrap().len(), 1);
    }
}

/// What is read is what was stored, whole, in ranges and as a file; one byte that turned is noticed wherever it lies.
#[tokio::test]
async fn bytes_are_what_was_stored_or_damaged() {
    use futures::StreamExt;
    let folder = tempfile::tempdir().unwrap();
    let store = Objects::in_folder(folder.path()).unwrap();
    let mut rng = ChaCha8Rng::seed_from_u64(8);
    for (k, size) in [0_usize, 1, 4095, 300_000, (8 << 20) + 17].into_iter().enumerate() {
        let mut bytes = vec![0; size];
        rng.fill_bytes(&mut bytes);
        let key = format!("jobs/a/{k}");
        let from = tempfile::NamedTempFile::new().unwrap();
        std::fs::write(from.path(), &bytes).unwrap();
        let (length, sum) = store.put_file(&key, from.path()).await.unwrap();
        assert_eq!(length as usize, size);
        assert!(store.bytes(&key).await.unwrap() == bytes);
        for _ in 0..20 {
            let start = rng.random_range(0..=size);
            let len = rng.random_range(0..=size - start);
            if len > 0 {
                let part = store.range(&key, start as u64, len as u64).await.unwrap();
                assert!(part == bytes[start..start + len]);
            }
            let beyond = store.range(&key, start as u64, (size - start) as u64 + 1).await;
            assert!(matches!(beyond, Err(StoreError::NotFound)), "{beyond:?}");
        }
        let read = async |store: &Objects| {
            let noted = (size as i64, sum.clone());
            let mut stream = Box::pin(store.checked_stream(&key, "hall.e57".into(), noted).await?);
            let mut all = Vec::new();
            while let Some(chunk) = stream.next().await {
                all.extend_from_slice(&chunk?);
            }
            Ok::<_, StoreError>(all)
        };
        assert!(read(&store).await.unwrap() == bytes);
        if size == 0 {
            continue;
        }
        let path = folder.path().join(&key);
        let at = rng.random_range(0..size);
        let mut bad = bytes.clone();
        bad[at] ^= 1 << rng.random_range(0..8);
        for (what, spoilt) in
            [("a turned bit", bad), ("cut short", bytes[..size - 1].to_vec()), ("longer", [&bytes[..], &[0]].concat())]
        {
            std::fs::write(&path, spoilt).unwrap();
            let Err(StoreError::Damaged { what: name, .. }) = read(&store).await else {
                panic!("{what} of {size} bytes at {at}")
            };
            assert!(name.contains("hall.e57"), "{name}");
        }
        std::fs::remove_file(&path).unwrap();
        assert!(matches!(read(&store).await, Err(StoreError::Damaged { .. })), "nothing there at all");
    }
}
