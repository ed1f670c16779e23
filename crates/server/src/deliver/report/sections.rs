//! The tables of the report, one function each.

use super::{Package, Small, kind};
use crate::dto::{AdjustmentResult, DrawnData, Error95Dto, SolidShape, SystematicDto};
use crate::words::probability;
use vistazo_core::draw::FLOOR;
use vistazo_report::Section;

/// All of them, in order.
pub(super) fn all(p: &Package, small: &Small) -> Vec<Section> {
    let mut out = vec![verdict(p, small)];
    out.push(remarks(p));
    out.extend([stations(p, small), targets(p, small), control(p, small)]);
    out.extend(checks(p, small));
    out.extend([
        ties(p, small),
        loops(p, small),
        residuals(p, small),
        levels(p),
        components(p),
        instrument(p),
        features(p, small, |_| true),
        solids(p, small),
        passes(p, small),
        notes(p),
        decisions(p),
    ]);
    out.retain(|s| !s.rows.is_empty() || !s.note.is_empty());
    out
}

/// Those that say whether the work is good, and what is open.
pub(super) fn short(p: &Package, small: &Small) -> Vec<Section> {
    let mut out = vec![verdict(p, small)];
    out.push(remarks(p));
    out.extend(checks(p, small));
    out.push(features(p, small, |code| code == FLOOR));
    out.push(passes(p, small));
    out.push(notes(p));
    out.retain(|s| !s.rows.is_empty() || !s.note.is_empty());
    out
}

/// Headings: words, then numbers with their unit.
fn table(words: &[&str], numbers: &[(&str, &str)]) -> Vec<String> {
    words.iter().map(ToString::to_string).chain(numbers.iter().map(|(n, u)| format!("{n} [{u}]"))).collect()
}

fn columns(names: &[&str]) -> Vec<String> {
    names.iter().map(ToString::to_string).collect()
}

fn errors(small: &Small, e: &Error95Dto) -> [String; 3] {
    [small.text(e.horizontal), small.text(e.vertical), small.text(e.spatial)]
}

fn coordinate(p: &Package, v: f64) -> String {
    format!("{:.4}", v / p.state.brief.unit().metres())
}

fn remarks(p: &Package) -> Section {
    Section { heading: "Remarks".into(), note: p.grid.warnings.join(". "), ..Section::default() }
}

fn verdict(p: &Package, small: &Small) -> Section {
    let opt = |x: Option<f64>| x.map_or_else(|| "–".into(), |x| small.text(x));
    let lengths = [("required", small.unit), ("predicted", small.unit), ("achieved", small.unit)];
    Section {
        heading: "Verdict".into(),
        note: String::new(),
        columns: table(&["Requirement", "Verdict", "Evidence"], &lengths),
        words: 3,
        rows: p
            .verdicts
            .iter()
            .map(|v| {
                vec![
                    v.requirement.clone(),
                    v.verdict.word().into(),
                    v.evidence.clone(),
                    opt(v.required),
                    opt(v.predicted),
                    opt(v.achieved),
                ]
            })
            .collect(),
    }
}

/// Headings of positions with their errors.
fn placed(p: &Package, small: &Small, words: &[&str], last: &[&str]) -> Vec<String> {
    let u = p.state.brief.unit().code();
    let lengths =
        [("E", u), ("N", u), ("H", u), ("horizontal", small.unit), ("vertical", small.unit), ("3-D", small.unit)];
    table(words, &lengths).into_iter().chain(columns(last)).collect()
}

fn stations(p: &Package, small: &Small) -> Section {
    let row = |s: &crate::dto::StationDto| {
        let scan = p.scans.iter().map(|x| &x.0).find(|r| r.id == s.scan);
        let operator = scan.and_then(|r| r.log["operator"].as_str()).unwrap_or("–");
        let name = if scan.is_some_and(|r| r.simulated) { format!("{} (simulated)", s.name) } else { s.name.clone() };
        let mut v = vec![name, operator.to_owned()];
        v.extend(s.pose.translation.map(|x| coordinate(p, x)));
        v.extend(errors(small, &s.error));
        v.push(s.targets.to_string());
        v.push(scan.map_or_else(String::new, |r| r.points.to_string()));
        v
    };
    Section {
        heading: "Stations".into(),
        note: "Errors are 95 % regions: longest semi-axis horizontally and in space, half-width vertically.".into(),
        columns: placed(p, small, &["Scan", "Operator"], &["targets", "points"]),
        words: 2,
        rows: p.grid.stations.iter().map(row).collect(),
    }
}

fn targets(p: &Package, small: &Small) -> Section {
    let row = |t: &crate::dto::TargetDto| {
        let mut v = vec![t.name.clone(), kind(t.kind).into()];
        v.extend(t.position.map(|x| coordinate(p, x)));
        v.extend(errors(small, &t.error));
        v.push(t.scans.to_string());
        v
    };
    Section {
        heading: "Targets".into(),
        note: String::new(),
        columns: placed(p, small, &["Target", "Kind"], &["scans"]),
        words: 2,
        rows: p.grid.targets.iter().map(row).collect(),
    }
}

fn control(p: &Package, small: &Small) -> Section {
    let u = small.unit;
    let lengths = [("dE", u), ("dN", u), ("dH", u), ("expected E", u), ("expected N", u), ("expected H", u)];
    let all = p.grid.residuals.iter().map(|r| (r, "control")).chain(p.grid.checks.iter().map(|r| (r, "check")));
    let missing = p.grid.check_summary.missing.iter().map(|name| {
        let mut v = vec![name.clone(), "fits no target".into(), "check".into()];
        v.resize(10, "–".into());
        v
    });
    Section {
        heading: "Control and check points".into(),
        note: "Residual: block minus control, of control in the free fit that tests it. Expected: what noise alone explains at 95 %. Check points take no part in anything.".into(),
        columns: table(&["Point", "Target", "Use"], &lengths).into_iter().chain(["p".into()]).collect(),
        words: 3,
        rows: all
            .map(|(r, word)| {
                let mut v = vec![r.name.clone(), r.target.clone(), word.into()];
                v.extend(r.residual.iter().chain(&r.expected).map(|x| small.text(*x)));
                v.push(probability(r.p_value));
                v
            })
            .chain(missing)
            .collect(),
    }
}

fn checks(p: &Package, small: &Small) -> Option<Section> {
    let c = &p.grid.check_summary;
    if p.grid.checks.is_empty() {
        return None;
    }
    let row = |name: &str, v: [f64; 3]| {
        let mut r = vec![name.to_owned()];
        r.extend(v.map(|x| small.text(x)));
        r
    };
    Some(Section {
        heading: "Check points together".into(),
        note: format!(
            "Root mean square {} horizontally, {} in space, at most {} (95 %, by the covariance of the residuals). In {} of 4 quadrants. p {} that residuals are as large as these when everything stated is true.",
            small.with_unit(c.horizontal),
            small.with_unit(c.spatial),
            small.with_unit(c.bound),
            c.quadrants,
            probability(c.p_value)
        ),
        columns: table(&[""], &[("E", small.unit), ("N", small.unit), ("H", small.unit)]),
        words: 1,
        rows: vec![
            row("root mean square", c.rmse),
            row("mean (bias)", c.bias),
            row("95 % of the mean without a bias", c.bias95),
        ],
    })
}

/// The adjustment of the scans; none where passes alone are handed over.
fn adjusted(p: &Package) -> impl Iterator<Item = &AdjustmentResult> {
    p.adjustment.iter().map(|a| &a.result)
}

fn ties(p: &Package, small: &Small) -> Section {
    let u = small.unit;
    Section {
        heading: "Ties".into(),
        note: "Between every two scans that share targets. Breadth: second over first extent of the shared targets."
            .into(),
        columns: table(&["Scans", "Grade", "Reason", "shared"], &[("rms", u), ("worst", u), ("breadth", "%")]),
        words: 3,
        rows: adjusted(p)
            .flat_map(|a| &a.ties)
            .map(|t| {
                vec![
                    format!("{} – {}", t.a, t.b),
                    t.grade.word().into(),
                    t.reasons.first().cloned().unwrap_or_default(),
                    t.shared.len().to_string(),
                    small.text(t.rms),
                    small.text(t.worst),
                    format!("{:.0}", t.breadth * 100.0),
                ]
            })
            .collect(),
    }
}

fn loops(p: &Package, small: &Small) -> Section {
    let joins = adjusted(p).flat_map(|a| &a.joins).map(|j| {
        let gap = j.gap.iter().map(|v| v * v).sum::<f64>().sqrt();
        vec![
            format!("joined at {}", j.target),
            small.text(gap),
            small.text(j.gap95),
            "–".into(),
            "–".into(),
            probability(j.p_value),
        ]
    });
    let rings = adjusted(p).flat_map(|a| &a.loops).take(30).map(|l| {
        vec![
            l.name.clone(),
            small.text(l.shift),
            small.text(l.shift95),
            format!("{:.1}", l.turn * 206_264.806),
            format!("{:.1}", l.turn95 * 206_264.806),
            probability(l.p_value),
        ]
    });
    Section {
        heading: "Loop misclosures".into(),
        note: "Each tie taken alone, once round; the least likely first. 95 %: what noise alone explains.".into(),
        columns: table(&["Loop"], &[("shift", small.unit), ("95 %", small.unit), ("turn", "″"), ("95 %", "″")])
            .into_iter()
            .chain(["p".into()])
            .collect(),
        words: 1,
        rows: joins.chain(rings).collect(),
    }
}

fn residuals(p: &Package, small: &Small) -> Section {
    let u = small.unit;
    let lengths = [("dx", u), ("dy", u), ("dz", u), ("length", u), ("MDB", u), ("effect", u)];
    let row = |o: &crate::dto::ObservationDto| {
        let used = match (o.active, o.suspect) {
            (false, _) => "excluded",
            (true, true) => "suspect",
            _ => "",
        };
        let opt = |x: Option<f64>| x.map_or_else(|| "–".into(), |d| small.text(d));
        let mut v = vec![o.target.clone(), o.scan.clone(), o.kind.clone(), used.into()];
        v.extend(o.residual.map(|x| small.text(x)));
        v.extend([small.text(o.length), opt(o.detectable), opt(o.reliability)]);
        v.push(if o.active { format!("{:.2}", o.redundancy) } else { "–".into() });
        v.push(probability(o.p_value));
        v
    };
    Section {
        heading: "Residuals".into(),
        note: "Observed minus adjusted, block axes. MDB: minimal detectable bias (80 % power, 0.1 % risk); effect: what that would do to the station it harms most. A redundancy of 3 is fully checked by the other observations. Excluded observations are listed with their misfit.".into(),
        columns: table(&["Target", "Scan", "Kind", "Use"], &lengths).into_iter().chain(columns(&["redundancy", "p"])).collect(),
        words: 4,
        rows: adjusted(p).flat_map(|a| &a.observations).map(row).collect(),
    }
}

fn levels(p: &Package) -> Section {
    let arc = |v: f64| format!("{:.1}", v * 206_264.806);
    Section {
        heading: "Levels".into(),
        note: String::new(),
        columns: table(&["Scan", "Use"], &[("tilt x", "″"), ("tilt y", "″"), ("stated 1σ", "″"), ("MDB", "″")])
            .into_iter()
            .chain(columns(&["redundancy", "p"]))
            .collect(),
        words: 2,
        rows: adjusted(p)
            .flat_map(|a| &a.levels)
            .map(|l| {
                let used = match (l.active, l.suspect) {
                    (false, _) => "not used",
                    (true, true) => "suspect",
                    _ => "",
                };
                vec![
                    l.scan.clone(),
                    used.into(),
                    arc(l.residual[0]),
                    arc(l.residual[1]),
                    arc(l.sigma),
                    l.detectable.map_or_else(|| "–".into(), arc),
                    format!("{:.2}", l.redundancy),
                    probability(l.p_value),
                ]
            })
            .collect(),
    }
}

fn components(p: &Package) -> Section {
    Section {
        heading: "Variance components".into(),
        note: String::new(),
        columns: columns(&["Observations", "residuals over stated noise", "redundancy"]),
        words: 1,
        rows: adjusted(p)
            .flat_map(|a| &a.components)
            .map(|c| {
                vec![
                    crate::words::group(c.group).into(),
                    format!("{:.2}", c.factor.sqrt()),
                    format!("{:.1}", c.redundancy),
                ]
            })
            .collect(),
    }
}

fn instrument(p: &Package) -> Section {
    let brief = &p.state.brief;
    let amount = |s: &SystematicDto, v: f64| crate::words::registration::amount(brief, s.parameter, v);
    let row = |s: &SystematicDto| vec![s.name.clone(), amount(s, s.value), amount(s, s.half95), amount(s, s.stated)];
    Section {
        heading: "Errors of the instrument".into(),
        note: "Errors that all sightings share, as the adjustment solved for them; the profile is their prior. Targets and stations are free of them as far as they are known, the clouds keep them.".into(),
        columns: columns(&["Error", "came out at", "95 %", "stated 1σ"]),
        words: 1,
        rows: adjusted(p).flat_map(|a| &a.systematic).filter(|s| s.scan.is_none()).map(row).collect(),
    }
}

/// Coded features by what they are drawn by; long lines with their lowest and highest corner.
fn features(p: &Package, small: &Small, wanted: fn(&str) -> bool) -> Section {
    let all = p.features.iter().flat_map(|c| &c.features).filter(|f| wanted(&f.code));
    let rows: Vec<Vec<String>> = all
        .map(|f| {
            let heights = || f.corners.iter().map(|c| c[2]);
            let [low, high] = [heights().fold(f64::MAX, f64::min), heights().fold(f64::MIN, f64::max)];
            let worst = |k: usize| f.error95.iter().flatten().map(|e| e[k]).fold(0.0, f64::max);
            let plan = if worst(0) > 0.0 { small.text(worst(0)) } else { "as drawn".into() };
            let corners = f.corners.len().to_string();
            vec![
                f.code.clone(),
                f.name.clone(),
                corners,
                coordinate(p, low),
                coordinate(p, high),
                small.text(worst(1)),
                plan,
            ]
        })
        .collect();
    let u = p.state.brief.unit().code();
    let numbers =
        [("corners", "1"), ("lowest", u), ("highest", u), ("height 95 %", small.unit), ("plan 95 %", small.unit)];
    Section {
        heading: "Features and floor levels".into(),
        note: String::new(),
        columns: table(&["Code", "Name"], &numbers),
        words: 2,
        rows,
    }
}

/// Solids by name: how large, how well known, how far points lie off them.
fn solids(p: &Package, small: &Small) -> Section {
    let unit = p.state.brief.unit();
    let height = |d: &DrawnData, k: usize| d.heights.map_or_else(String::new, |h| coordinate(p, h[k]));
    let rows = p.solids.iter().flat_map(|s| &s.solids).map(|(name, d)| {
        let size = match d.solid.as_ref().map(|s| s.shape) {
            Some(SolidShape::Cylinder) => {
                let r = d.radius.unwrap_or_default();
                format!(
                    "⌀ {} ± {}",
                    small.text(2.0 * r),
                    small.text(2.0 * d.error95.last().copied().unwrap_or_default())
                )
            }
            _ => String::new(),
        };
        let standing = if d.found { "found" } else { "agreed" };
        let worst = d.error95.iter().take(2).copied().fold(0.0, f64::max);
        let off = small.text(d.scatter.unwrap_or_default());
        vec![name.clone(), standing.into(), size, height(d, 0), height(d, 1), small.text(worst), off]
    });
    let u = unit.code();
    let numbers =
        [("size", small.unit), ("lowest", u), ("highest", u), ("place 95 %", small.unit), ("rms", small.unit)];
    Section {
        heading: "Solids".into(),
        note: "Found: by the program, and nobody agreed with it yet. Place: of the heights of walls and pillars, of the axis of cylinders. Rms: of points about the surface.".into(),
        columns: table(&["Name", "Standing"], &numbers),
        words: 2,
        rows: rows.collect(),
    }
}

/// Passes of mobile units: how far their paths bend, what lay double before and after, how well a place and a point are known.
fn passes(p: &Package, small: &Small) -> Section {
    let unit = p.state.brief.unit();
    let all = p.passes.current().and_then(|_| p.passes.to_dto().ok()).map(|d| d.passes).unwrap_or_default();
    let placed = || all.iter().filter_map(|a| Some((a, a.placed.as_ref()?))).filter(|a| a.1.refused.is_none());
    let rows = placed().map(|(a, placed)| {
        let share = |k: usize| {
            let d = &placed.doubled[k];
            format!("{:.0}", 100.0 * d.double as f64 / d.compared.max(1) as f64)
        };
        let metres = a.facts.as_ref().map_or(0.0, |f| f.metres);
        let place = placed.along.iter().flat_map(|w| w.error95).fold(0.0, f64::max);
        let lengths = [placed.bends[1], place, placed.point95[0]].map(|v| small.text(v));
        let first = [a.name.clone(), a.unit.clone(), format!("{:.0}", metres / unit.metres()), placed.ties.to_string()];
        first.into_iter().chain([share(0), share(1)]).chain(lengths).collect()
    });
    let fit = placed().map(|(a, placed)| format!("{}: {}", a.name, placed.says.first().cloned().unwrap_or_default()));
    let about = "Bends: how far the path is off when the pass is placed as one piece. Double: share of the places seen twice where surfaces lie double as one piece, and corrected.";
    let numbers = [
        ("walked", unit.code()),
        ("ties", "1"),
        ("double", "%"),
        ("after", "%"),
        ("bends", small.unit),
        ("place 95 %", small.unit),
        ("point 95 %", small.unit),
    ];
    let rows: Vec<_> = rows.collect();
    let note = if rows.is_empty() { String::new() } else { format!("{about} {}", fit.collect::<Vec<_>>().join(" ")) };
    Section { heading: "Passes".into(), note, columns: table(&["Name", "Unit"], &numbers), words: 2, rows }
}

fn notes(p: &Package) -> Section {
    Section {
        heading: "Seen on site".into(),
        note: String::new(),
        columns: columns(&["When (UTC)", "Who", "Where", "What"]),
        words: 4,
        rows: p.notes.iter().map(|n| n.to_vec()).collect(),
    }
}

fn decisions(p: &Package) -> Section {
    Section {
        heading: "Decisions".into(),
        note: String::new(),
        columns: columns(&["When (UTC)", "Who", "What"]),
        words: 3,
        rows: p
            .log
            .iter()
            .rev()
            .map(|l| {
                let who = l.who.clone().unwrap_or_else(|| "–".into());
                vec![l.at.format("%Y-%m-%d %H:%M").to_string(), who, l.what.clone()]
            })
            .collect(),
    }
}
