//! Everything that can be said is said in whole sentences: in the job's unit, with the right plural, and never with a
//! figure that is none.
#![allow(clippy::unwrap_used)]

use super::*;
use crate::dto::{Brief, FindingKind};
use crate::record::cloud_tie::{FoundTie, TieReason};
use crate::record::georeference::{Mistake, Weakness};
use crate::record::registration::{
    Finding, Reason, Refusal, Registration, Rival, SizeFault, Statistics, Unplaced, What,
};
use uuid::Uuid;
use vistazo_core::check::{Ground, PlaceKind};
use vistazo_core::registration::{School, Why};

const UNITS: [&str; 3] = ["m", "ft", "ftUS"];

fn briefs() -> impl Iterator<Item = Brief> {
    UNITS.into_iter().map(|unit| Brief { unit: unit.into(), sphere_diameter: Some(0.2), ..Brief::default() })
}

/// A sentence as a reader may see it.
fn sane(brief: &Brief, s: &str) {
    assert!(s.len() > 8, "“{s}” says nothing");
    for bad in ["NaN", "inf", "{", "}", "  ", "Some(", "None", "..", "()", " ,", " ;", "\n", "−-", "--"] {
        assert!(!s.contains(bad), "“{s}” holds “{bad}”");
    }
    for one in ["scan", "target", "point", "sphere", "suspicion", "sighting", "tie", "finding", "degree"] {
        let several = format!(" 1 {one}s");
        assert!(!format!(" {s}").contains(&several), "“{s}”: {several}");
        // two of them are not one
        assert!(!format!(" {s} ").contains(&format!(" 2 {one} ")), "“{s}”: 2 {one}");
    }
    // lengths are in the job's unit and no other
    let words: Vec<&str> = s.split(|c: char| c.is_whitespace() || ",;:()".contains(c)).collect();
    let units: Vec<&str> = words
        .windows(2)
        .filter(|w| w[0].trim_start_matches(['−', '-']).parse::<f64>().is_ok())
        .map(|w| w[1])
        .filter(|u| ["mm", "m", "ft", "ftUS"].contains(u))
        .collect();
    let mine: &[&str] = if brief.unit == "m" { &["mm", "m"] } else { &[&brief.unit] };
    assert!(units.iter().all(|u| mine.contains(u)), "“{s}” in a job in {}", brief.unit);
}

fn has_length(brief: &Brief, s: &str) {
    sane(brief, s);
    let unit = if brief.unit == "m" { "m" } else { &brief.unit };
    assert!(s.contains(&format!(" {unit}")) || s.contains(" mm"), "“{s}” has no length in {}", brief.unit);
}

fn registration() -> Registration {
    Registration {
        version: 1,
        refused: None,
        scans: Vec::new(),
        targets: Vec::new(),
        findings: Vec::new(),
        statistics: Statistics { variance: [2.25, 1.0, 3.0, 2.25], global_p: 1e-9, ..Statistics::default() },
        groups: Vec::new(),
        unplaced: Vec::new(),
    }
}

fn rivals() -> Vec<Rival> {
    vec![
        Rival::Moved { target: "K3".into(), before_scan: "S1".into(), after_scan: "S2".into() },
        Rival::Tripod { scan: "S2".into() },
        Rival::Outlier { kind: "TargetCentre".into(), target: Some("K4".into()), scan: Some("S5".into()) },
        Rival::Outlier { kind: "Level".into(), target: None, scan: Some("S5".into()) },
        Rival::Instrument { scan: None, parameter: Parameter::Index },
        Rival::Instrument { scan: Some("S4".into()), parameter: Parameter::Settling },
    ]
}

#[test]
fn every_finding_has_a_title_evidence_and_a_meaning() {
    for (brief, others) in briefs().flat_map(|b| [0, 1, 2].map(|n| (b.clone(), n))) {
        let rivals: Vec<Rival> = rivals().into_iter().take(3 * others).collect();
        let outlier = |angular: bool, target: Option<&str>, left_out: bool| What::Outlier {
            kind: if angular { "Level" } else { "TargetCentre" }.into(),
            target: target.map(Into::into),
            scan: Some("S3".into()),
            observation: Some(Uuid::now_v7()),
            residual: if angular { 2e-4 } else { 0.0123 },
            angular,
            statistic: 61.0,
            dof: 3,
            p_family: 1e-7,
            detectable: Some(0.004),
            others,
            rivals: rivals.clone(),
            left_out,
        };
        let all = [
            What::Moved {
                target: "K3".into(),
                before_scan: "S3".into(),
                after_scan: "S4".into(),
                shift: [0.003, -0.011, -0.0004],
                sigma: 6e-4,
                statistic: 214.0,
                dof: 3,
                p_family: 0.0,
                single_sided: true,
                others,
                rivals: rivals.clone(),
                before: vec![Uuid::now_v7()],
                after: vec![Uuid::now_v7(); 2],
            },
            outlier(false, Some("K4"), false),
            outlier(false, Some("K4"), true),
            outlier(true, None, false),
            What::NotLevel { scan: "S2".into(), tilt: 3e-4, sigma: 1.5e-5 },
            What::Unplaced { scan: "S9".into(), why: Unplaced::NoTargets },
            What::Unplaced { scan: "S9".into(), why: Unplaced::Few(1) },
            What::Unplaced { scan: "S9".into(), why: Unplaced::Few(2) },
            What::Unplaced { scan: "S9".into(), why: Unplaced::Ambiguous(3) },
            What::Unplaced { scan: "S9".into(), why: Unplaced::NoLayout(4) },
            What::Size { fault: SizeFault::MixUp, count: 5, agreeing: 0, typical: 0.4 },
            What::Size { fault: SizeFault::Other, count: 5, agreeing: 2, typical: 0.145 },
        ];
        let record = registration();
        for what in all {
            let f = registration::finding(&brief, &record, &Finding { key: "k".into(), what: what.clone() }, false);
            for s in std::iter::once(&f.title).chain(&f.evidence).chain([&f.meaning]) {
                sane(&brief, s);
            }
            assert!(f.title.chars().next().unwrap().is_uppercase(), "{}", f.title);
            assert!(f.meaning.ends_with('.') && !f.evidence.is_empty(), "{what:?}");
            match f.kind {
                FindingKind::Moved | FindingKind::Size => has_length(&brief, &f.evidence[0]),
                FindingKind::NotLevel => assert!(f.evidence[0].contains('″'), "{:?}", f.evidence),
                _ => {}
            }
            // what else explains it is said, each of it
            if let What::Moved { rivals, .. } = &what {
                let said = f.evidence.join(" ");
                assert_eq!(said.contains("cannot tell it from this"), !rivals.is_empty());
                assert_eq!(said.contains("weaker suspicion"), others > 0);
            }
        }
    }
}

#[test]
fn every_refusal_says_what_is_missing() {
    let loose = |hangs: &[&str], line: bool| ("S4".to_owned(), hangs.iter().map(|h| (*h).to_owned()).collect(), line);
    let all = [
        Refusal::TooFewScans { found: 0 },
        Refusal::TooFewScans { found: 1 },
        Refusal::NoTargets { other_size: 0, waiting: 0 },
        Refusal::NoTargets { other_size: 3, waiting: 6 },
        Refusal::NothingTied { waiting: 0 },
        Refusal::NothingTied { waiting: 1 },
        Refusal::Loose { scans: vec![loose(&[], false), loose(&["K1"], false), loose(&["K1", "K2"], false)] },
        Refusal::Loose { scans: vec![loose(&["K1", "K2", "K3"], true)] },
        Refusal::Diverged { iterations: 40 },
        Refusal::Other { reason: "the normal matrix is singular".into() },
    ];
    for r in all {
        sane(&Brief::default(), &registration::refusal(&r));
    }
    assert!(registration::refusal(&Refusal::TooFewScans { found: 1 }).contains("there is 1 scan;"));
}

#[test]
fn every_reason_of_a_tie_has_its_figures() {
    for brief in briefs() {
        let found = FoundTie {
            relative: (&vistazo_core::geometry::Pose::identity()).into(),
            covariance: vec![0.0; 36],
            shared: [Vec::new(), Vec::new()],
            rms: 0.002,
            overlap: [0.4, 0.3],
            conflict: [0.0, 0.0],
            reasons: Vec::new(),
            weakest: [0.6, -0.8, 0.0],
            weakest95: 0.04,
            heading95: 1e-4,
            rival: None,
        };
        let with_length = [
            TieReason::Repeats { share: 0.93, shift: 4.5, turn: 0.39 },
            TieReason::Repeats { share: 1.7, shift: 0.4, turn: 0.0 },
            TieReason::DistanceDecided { distance: 7.2 },
            TieReason::Elsewhere { shift: 0.08, turn: 0.01 },
            TieReason::Slides { bound: 0.04 },
            TieReason::Rough { rms: 0.011 },
        ];
        for r in with_length {
            has_length(&brief, &ties::reason(&brief, &found, &r));
        }
        let shares = [
            TieReason::Conflict { share: 0.004 },
            TieReason::LittleOverlap { share: 0.06 },
            TieReason::Confirmed { others: 1 },
            TieReason::Confirmed { others: 3 },
            TieReason::Agrees { overlap: 0.5, conflict: 0.001 },
            TieReason::TargetsDecided { targets: 2 },
        ];
        for r in shares {
            sane(&brief, &ties::reason(&brief, &found, &r));
        }
        // a share of more than all is none
        assert!(ties::reason(&brief, &found, &with_length[1]).contains("100 %"));
        assert!(ties::reason(&brief, &found, &TieReason::Slides { bound: 0.04 }).contains("127° from the x axis"));
        let up = FoundTie { weakest: [0.1, 0.0, 0.99], ..found };
        assert!(ties::reason(&brief, &up, &TieReason::Slides { bound: 0.04 }).contains("the vertical"));
        assert!(
            ties::reason(&brief, &up, &TieReason::Slides { bound: 2.8 }).contains("nothing that both show holds it")
        );
        let record = registration();
        for r in [Reason::Apart { gap: 0.012 }, Reason::WellSpread { count: 5, spread: 14.0, gap: 0.001 }] {
            has_length(&brief, &registration::reason(&brief, &record, &r));
        }
        for r in [
            Reason::TooFew { count: 1 },
            Reason::TooFew { count: 2 },
            Reason::InLine { count: 4, breadth: 0.04 },
            Reason::OnlyThree,
            Reason::AmbiguousAlone,
        ] {
            sane(&brief, &registration::reason(&brief, &record, &r));
        }
    }
}

#[test]
fn every_reason_for_a_school_names_it_with_its_error() {
    for brief in briefs() {
        for s in [School::Targets, School::Clouds, School::Both] {
            sane(&brief, &ties::school(&brief, &Why::Leaves(s, 1)));
            sane(&brief, &ties::school(&brief, &Why::Leaves(s, 2)));
            has_length(&brief, &ties::school(&brief, &Why::Does(s, 0.002)));
            has_length(&brief, &ties::school(&brief, &Why::Beyond(s, 0.02, 0.006)));
        }
        has_length(&brief, &ties::school(&brief, &Why::Better(0.004, 0.002)));
        for w in [Why::Repeats(2, 9), Why::Slides(1, 9), Why::ControlNeedsTargets, Why::NotCompared] {
            sane(&brief, &ties::school(&brief, &w));
        }
    }
}

#[test]
fn every_weakness_of_control_names_its_point() {
    for brief in briefs() {
        let point = || "CP104".to_owned();
        let named = [
            Weakness::ControlOff { point: point(), off: 0.021, p: 1e-5 },
            Weakness::CheckOff { point: point(), off: 0.021, p: 0.002 },
            Weakness::Mistake {
                mistake: Mistake::WrongName {
                    point: point(),
                    target: "K3".into(),
                    off: 12.0,
                    better: Some("K5".into()),
                },
            },
            Weakness::Mistake {
                mistake: Mistake::WrongName { point: point(), target: "K3".into(), off: 0.2, better: None },
            },
        ];
        for w in &named {
            let s = control::weakness(&brief, w);
            has_length(&brief, &s);
            assert!(s.contains("CP104"), "{s}");
        }
        let others = [
            Weakness::OutsideControl { outside: 1, of: 9 },
            Weakness::ControlInLine,
            Weakness::NoChecks,
            Weakness::Scale { scale: 1.000_12, sigma: 2e-5 },
            Weakness::FitPoor { p: 1e-4 },
            Weakness::CheckMissing { point: point() },
            Weakness::Correlated { a: 0, b: 99, r: 0.97 },
            Weakness::NoFactor,
            Weakness::Mistake { mistake: Mistake::Swapped { then: 1, now: 0 } },
            Weakness::Mistake { mistake: Mistake::Swapped { then: 5, now: 1 } },
            Weakness::Mistake { mistake: Mistake::Unit { factor: 0.3048, then: 1, now: 0 } },
            Weakness::Mistake { mistake: Mistake::Unit { factor: 3.2808, then: 4, now: 0 } },
            Weakness::Mistake { mistake: Mistake::NoHeights { fit: 0 } },
            Weakness::Mistake { mistake: Mistake::NoHeights { fit: 4 } },
        ];
        for w in &others {
            sane(&brief, &control::weakness(&brief, w));
        }
    }
}

#[test]
fn every_ground_of_a_verdict_is_said() {
    let names = |n: usize| (1..=n).map(|k| format!("CP{k}")).collect::<Vec<_>>();
    let mut all = vec![
        Ground::NotOnGrid,
        Ground::TestFailed,
        Ground::ChecksTogether(0.004),
        Ground::NoChecks,
        Ground::MoreChecks,
        Ground::NotMeasured(vec![vistazo_core::adjust::Group::Clouds, vistazo_core::adjust::Group::SetUp]),
        Ground::SpacingShare(91.0, 100.0),
        Ground::SpacingPlanned(0.97),
        Ground::SpacingNotMeasured,
        Ground::Surveyed(39, 40),
        Ground::SurveyNotCompared,
    ];
    for n in 1..=6 {
        all.extend([
            Ground::Unsettled(n),
            Ground::Unplaced(n),
            Ground::ControlOff(names(n)),
            Ground::ChecksOff(names(n)),
            Ground::ChecksMissing(names(n)),
            Ground::SurfacesMissing(names(n)),
            Ground::ShowTwice(names(n)),
            Ground::SurveyOff(names(n)),
            Ground::NotCompared(n),
            Ground::Compared { pairs: n, detectable: 0.0031 },
            Ground::Checks { count: n, usual: 20, quadrants: 2 },
        ]);
    }
    for kind in [PlaceKind::Target, PlaceKind::Station, PlaceKind::Surface] {
        all.push(Ground::Within { within: 4, of: 5, kind, worst: "K9".into() });
    }
    for g in &all {
        sane(&Brief::default(), &verdict::evidence(&Brief::default(), std::slice::from_ref(g)));
    }
    // long lists are cut, and say so
    let long = verdict::evidence(&Brief::default(), &[Ground::ControlOff(names(6))]);
    assert!(long.contains("CP4 and 2 more") && !long.contains("CP5"), "{long}");
}

/// Chance is never said to be nil, and turns are read in seconds until they are large.
#[test]
fn figures_read_as_such() {
    assert_eq!((chance(0.0).as_str(), chance(0.0499).as_str()), ("p < 0.001", "p = 0.050"));
    assert_eq!((turn(1e-5).as_str(), turn(-1e-5).as_str(), turn(0.1).as_str()), ("2.1″", "2.1″", "5.73°"));
    for p in [
        Parameter::RangeOffset,
        Parameter::BoardOffset,
        Parameter::RangeScale,
        Parameter::Collimation,
        Parameter::Trunnion,
        Parameter::Index,
        Parameter::Settling,
        Parameter::Turning,
    ] {
        for brief in briefs() {
            for v in [-3e-4, 3e-4] {
                let s = registration::amount(&brief, p, v);
                assert!(["mm", "ft", "ppm", "″"].iter().any(|u| s.contains(u)), "{p:?}: {s}");
                assert_eq!(s.starts_with(['-', '−']), v < 0.0, "{s}");
            }
        }
        assert!(!parameter(p).is_empty());
    }
}
