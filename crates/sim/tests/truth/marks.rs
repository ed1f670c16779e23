//! Targets that somebody points at: measured as the search measures them, and nothing else passes for one.

use vistazo_core::geometry::Vec3;
use vistazo_core::targets::{Search, TargetKind, detect, mark};
use vistazo_sim::{Scanner, scan, small_job};

#[test]
fn pointing_gives_what_the_search_gives_and_refuses_what_is_no_target() {
    let job = small_job(3);
    let search = Search { sphere_radius: Some(0.1), checker_half: Some(0.15) };
    let scanner = Scanner::drawn(&job.instrument, 5);
    let (mut tried, mut posts) = (0, 0);
    for (k, pose) in job.truth.poses.iter().enumerate() {
        let raw = scan(&job.scene, &scanner, pose, k, 40 + k as u64, &|_| true).unwrap().into_scan().unwrap();
        let marked = |kind: TargetKind, at: &Vec3| mark(&raw, &job.instrument, &search, kind, at);
        for d in detect(&raw, &job.instrument, &search) {
            // a hand points some centimetres beside the middle
            let side = d.centre.normalize().cross(&Vec3::z()).normalize();
            let near = if d.kind == TargetKind::Sphere { 0.1 } else { 0.0 };
            let at = d.centre * (1.0 - near / d.centre.norm()) + side * 0.03;
            let own = marked(d.kind, &at).unwrap_or_else(|| panic!("{:?} at {:.1} m", d.kind, d.centre.norm()));
            let bound = 3.0 * d.covariance.trace().sqrt();
            assert!(
                (own.centre - d.centre).norm() < bound.max(2e-4),
                "{:?}: {} m",
                d.kind,
                (own.centre - d.centre).norm()
            );
            tried += 1;
        }
        for c in &job.scene.site.columns {
            let at = pose.inverse().apply(&Vec3::new(c.centre.x, c.centre.y, 1.5));
            let front = at * (1.0 - c.radius / at.norm());
            assert!(marked(TargetKind::Sphere, &front).is_none(), "a post of {} m", c.radius);
            posts += 1;
        }
    }
    assert!(tried >= 16 && posts == 8, "{tried} targets, {posts} posts");
}
