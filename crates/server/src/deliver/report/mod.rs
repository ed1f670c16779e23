//! The registration report: facts, verdict, tables and a sketch, typeset.

mod sections;
mod sketch;

use super::{Document, Package};
use crate::dto::{AdjustmentDto, Brief, VerdictWord};
use crate::record::georeference::Source;
use crate::record::registration::TargetKind;
use crate::tasks::Stop;
use crate::words::chance;
use vistazo_core::units::LengthUnit;
use vistazo_report::Report;
use vistazo_store::jobs::Role;

/// The typeset report.
pub(super) struct Registration;

impl Document for Registration {
    fn name(&self) -> &'static str {
        "report.pdf"
    }

    fn write(&self, package: &Package) -> Result<Vec<u8>, Stop> {
        Ok(vistazo_report::typeset(&data(package))?)
    }
}

/// The same on a page or two: what was asked, whether it is met and by what evidence, what is open.
pub(super) struct Short;

impl Document for Short {
    fn name(&self) -> &'static str {
        "report-short.pdf"
    }

    fn write(&self, package: &Package) -> Result<Vec<u8>, Stop> {
        let whole = data(package);
        let subtitle = whole.subtitle.replacen("Registration report", "Registration report, short form", 1);
        let foot = format!("{} The full report is report.pdf.", whole.foot);
        let sections = sections::short(package, &Small::of(&package.state.brief));
        Ok(vistazo_report::typeset(&Report { subtitle, foot, sections, short: true, figures: Vec::new(), ..whole })?)
    }
}

/// What is said of a block that no control holds.
const OWN: &str = "none: the block lies in a system of its own. Positions and errors hold within it; where it lies, how it is turned, and its scale beside the instrument's, nothing shows";

/// Lengths of errors: millimetres for metric jobs, else the foot of the job.
struct Small {
    factor: f64,
    digits: usize,
    unit: &'static str,
}

impl Small {
    fn of(brief: &Brief) -> Self {
        match brief.unit() {
            LengthUnit::Metre => Self { factor: 1000.0, digits: 2, unit: "mm" },
            u => Self { factor: 1.0 / u.metres(), digits: 5, unit: u.code() },
        }
    }
    fn text(&self, metres: f64) -> String {
        format!("{:.*}", self.digits, metres * self.factor)
    }
    fn with_unit(&self, metres: f64) -> String {
        format!("{} {}", self.text(metres), self.unit)
    }
}

/// What a target is, as it is printed.
pub(super) fn kind(k: TargetKind) -> &'static str {
    k.word()
}

/// What the report says.
pub(super) fn data(p: &Package) -> Report {
    let worst = p.verdicts.iter().map(|v| v.verdict).max().unwrap_or(VerdictWord::NotDemonstrated);
    let people = |role: Role| {
        let names = p.members.iter().filter(|m| m.role == role).map(|m| m.name.clone());
        names.collect::<Vec<_>>().join(", ")
    };
    let simulated = p.state.simulated();
    let mark = if simulated { "SIMULATED SCANS, nothing here was measured · " } else { "" };
    Report {
        short: false,
        title: p.name.clone(),
        subtitle: format!(
            "{mark}Registration report · package {} · made {} UTC",
            p.revision,
            chrono::Utc::now().format("%Y-%m-%d %H:%M")
        ),
        verdict: match worst {
            VerdictWord::Met => "All requirements are met.",
            VerdictWord::NotMet => "At least one requirement is not met.",
            VerdictWord::NotDemonstrated => "Not all requirements are demonstrated to be met.",
        }
        .into(),
        verdict_kind: worst.word().into(),
        facts: facts(p),
        sections: sections::all(p, &Small::of(&p.state.brief)),
        sketch: sketch::sketch(p),
        figures: p.slices.iter().map(|f| super::slice_picture::figure(&p.state.brief, f)).collect(),
        foot: format!(
            "{mark}{} · package {}. States measured accuracy only. Boundaries and designs are certified by a licensed professional where the law asks for one.",
            p.name, p.revision
        ),
        letterhead: p.letterhead.clone(),
        signatures: vec![
            (format!("prepared ({})", people(Role::Surveyor)), " ".into()),
            (format!("checked, by another person ({})", people(Role::Reviewer)), " ".into()),
        ],
    }
}

/// Where no scan is there to be adjusted.
const WALKED: &str = "of no scan: the paths of the passes were corrected, each with its own figures";

fn adjustment(of: &AdjustmentDto) -> String {
    let a = &of.result;
    let [low, high] = a.variance_interval.map(f64::sqrt);
    format!(
        "revision {}{}, {} degrees of freedom, global test {}; residuals {:.2} times the stated noise ({low:.2} to {high:.2} at 95 %), errors scaled by {:.2}",
        of.revision,
        if of.locked { ", locked" } else { "" },
        a.dof,
        chance(a.global_p),
        a.variance_estimate.sqrt(),
        a.variance_factor.sqrt()
    )
}

fn facts(p: &Package) -> Vec<(String, String)> {
    let (g, brief) = (&p.grid, &p.state.brief);
    let small = Small::of(brief);
    let i = &brief.instrument;
    let arc = |rad: f64| format!("{:.1}″", rad.to_degrees() * 3600.0);
    let fact = |name: &str, text: String| (name.to_owned(), text);
    vec![
        fact("Client", brief.client.clone()),
        fact("Site", brief.site.clone()),
        fact("Purpose", brief.purpose.clone()),
        fact("Coordinate reference", format!("{}; heights: {}", g.grid.reference, g.grid.vertical)),
        fact("Lengths", p.grid_words()),
        fact("Units", format!("{}; errors in {}", brief.unit().code(), small.unit)),
        fact(
            "Instrument",
            format!(
                "{}: range {} + {:.0} ppm, angles {}, compensator {}",
                i.name,
                small.with_unit(i.range_sigma),
                i.range_sigma_per_m * 1e6,
                arc(i.angular_sigma),
                i.compensator_sigma.map_or_else(|| "none".into(), arc)
            ),
        ),
        fact("Adjustment", p.adjustment.as_ref().map_or_else(|| WALKED.into(), adjustment)),
        fact(
            "Georeferencing",
            match g.source {
                Source::Own => OWN.into(),
                Source::Walked => format!(
                    "passes held by {} marks on control, compared with {} marks on check points",
                    g.residuals.len(),
                    g.checks.len()
                ),
                Source::Constrained | Source::Free => format!(
                    "{} fit to {} control points as a test ({}); {}; {} check points",
                    format!("{:?}", g.model).to_lowercase(),
                    g.residuals.len(),
                    chance(g.global_p),
                    match g.source == Source::Constrained {
                        true => "it passed, and control is in the adjustment with its weight",
                        false => "control is not in the adjustment: the block keeps its shape",
                    },
                    g.checks.len() + g.check_summary.missing.len(),
                ),
            },
        ),
    ]
}
