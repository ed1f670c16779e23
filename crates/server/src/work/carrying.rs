//! Plan items to shapes of a drawing and back: what is exported comes in again as what it was.

use crate::ApiError;
use crate::dto::PlanData;
use std::collections::HashMap;
use uuid::Uuid;
use vistazo_formats::plan::{ItemSaid, PlanShape};
use vistazo_store::jobs::PlanEdit;

/// An item of the plan: identifier, kind, what it holds.
pub(crate) type Item = (Uuid, String, PlanData);

/// Kinds whose outline is closed.
const CLOSED: [&str; 3] = ["obstacle", "floor", "area"];
/// Kinds that are at one point.
const POINTS: [&str; 4] = ["column", "height", "station", "target"];

/// Items as shapes. Pictures under the plan are not carried: their pixels lie elsewhere.
pub(crate) fn shapes(items: &[Item]) -> Vec<PlanShape> {
    let shape = |(id, kind, d): &Item| {
        let point = POINTS.contains(&kind.as_str());
        let [x, y, z] = d.position;
        let line = if point { vec![[x, y]] } else { d.line.clone() };
        let serde_json::Value::Object(mut properties) = serde_json::json!(d) else { return None };
        // these are the geometry
        properties.remove("line");
        properties.remove("position");
        let stands = matches!(kind.as_str(), "height" | "station" | "target");
        let (base, top) = if stands { (z, z) } else { (d.base, d.top.max(d.base)) };
        let item = Some(ItemSaid { kind: kind.clone(), id: Some(id.to_string()), properties });
        let closed = CLOSED.contains(&kind.as_str());
        Some(PlanShape { closed, line, radius: d.radius, base, top, name: Some(d.name.clone()), item })
    };
    items.iter().filter(|i| i.1 != "underlay").filter_map(shape).collect()
}

/// Shapes of a drawing as new items of a plan.
///
/// # Errors
/// Names the first that cannot be what it says.
pub(crate) fn edits(shapes: Vec<PlanShape>) -> Result<Vec<PlanEdit>, ApiError> {
    let mut times: HashMap<String, usize> = HashMap::new();
    shapes.iter().filter_map(|s| s.name.clone()).for_each(|n| *times.entry(n).or_default() += 1);
    // items that speak of each other go on doing so under their new identifiers
    let new: HashMap<String, Uuid> =
        shapes.iter().filter_map(|s| Some((s.item.as_ref()?.id.clone()?, vistazo_store::new_id()))).collect();
    let number = |name: Option<String>, kind: &str, i: usize| match name {
        // a layer names many shapes: each gets a number
        Some(n) if times.get(&n) == Some(&1) => n,
        other => format!("{} {}", other.as_deref().unwrap_or(kind), i + 1),
    };
    let edit = |(i, s): (usize, PlanShape)| -> Result<PlanEdit, ApiError> {
        let id = s.item.as_ref().and_then(|m| new.get(m.id.as_ref()?)).copied().unwrap_or_else(vistazo_store::new_id);
        let (kind, data) = match s.item.clone() {
            Some(item) => (item.kind.clone(), again(item, &s, &new)?),
            None => {
                let kind = match (s.radius, s.closed) {
                    (Some(_), _) => "column",
                    (None, true) => "obstacle",
                    (None, false) => "wall",
                };
                let name = number(s.name.clone(), kind, i);
                let data = PlanData {
                    name: name.chars().take(80).collect(),
                    position: s.radius.map_or([0.0; 3], |_| [s.line[0][0], s.line[0][1], s.base]),
                    line: if s.radius.is_some() { Vec::new() } else { s.line },
                    radius: s.radius,
                    base: s.base,
                    top: s.top,
                    ..PlanData::default()
                };
                (kind.to_owned(), data)
            }
        };
        let data = serde_json::json!(data);
        PlanData::parse(&kind, &data)?;
        Ok(PlanEdit { id, kind, data, version: None, deleted: false })
    };
    shapes.into_iter().enumerate().map(edit).collect()
}

/// An item of one of our own files.
fn again(item: ItemSaid, s: &PlanShape, new: &HashMap<String, Uuid>) -> Result<PlanData, ApiError> {
    let kind = item.kind;
    if !crate::dto::KINDS.contains(&kind.as_str()) || kind == "underlay" {
        let kinds = crate::dto::KINDS.join(", ");
        return Err(ApiError::bad(format!("a shape says that it is a “{kind}”, expected one of {kinds}")));
    }
    let mut d: PlanData = serde_json::from_value(serde_json::Value::Object(item.properties))
        .map_err(|e| ApiError::bad(format!("a {kind} of the drawing cannot be read: {e}")))?;
    if POINTS.contains(&kind.as_str()) {
        let [x, y] = s.line.first().copied().unwrap_or_default();
        d.position = [x, y, if kind == "column" { d.base } else { s.base }];
    } else {
        d.line.clone_from(&s.line);
    }
    let of = |id: &Uuid| new.get(&id.to_string()).copied();
    d.over = d.over.as_ref().and_then(of);
    d.sights = d.sights.iter().filter_map(of).collect();
    d.distances =
        d.distances.into_iter().filter_map(|x| Some(crate::dto::DistanceDto { to: of(&x.to)?, ..x })).collect();
    Ok(d)
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::dto::{DistanceDto, KINDS, OpeningDto};
    use proptest::prelude::*;
    use vistazo_formats::plan::{read_geojson, write_geojson};
    use vistazo_formats::plan_dxf::{read_dxf, write_dxf};

    /// An item of a kind with what its kind can hold, from a few drawn numbers and a name in any script.
    fn item(kind: &str, name: &str, [a, b, c, d]: [f64; 4], flag: bool, mark: Uuid) -> Item {
        let outline = vec![[a, b], [a + 3.0, b], [a + 3.0, b + 2.0 + d.abs()], [a, b + 2.0]];
        let base = PlanData { name: name.to_owned(), base: c, top: c + 1.0 + d.abs(), ..PlanData::default() };
        let at = PlanData { position: [a, b, c], base: 0.0, top: 0.0, ..base.clone() };
        let wanted = PlanData {
            required_spacing: flag.then_some(0.01),
            required_incidence: flag.then_some(1.1),
            required_accuracy: flag.then_some(0.006),
            ..base.clone()
        };
        let data = match kind {
            "wall" => {
                let gate = OpeningDto { name: "gate".into(), at: 2.0, width: 1.0, sill: c, head: c + 0.9 };
                PlanData { line: outline, openings: if flag { vec![gate] } else { Vec::new() }, ..wanted }
            }
            "floor" => PlanData { line: outline, top: c, ..wanted },
            "obstacle" | "edge" => PlanData { line: outline, ..base },
            "walk" => {
                let pace = flag.then_some(0.6);
                PlanData { line: outline, unit: Some("Backpack".into()), pace, top: c, ..base }
            }
            "area" => {
                let area = Some(if flag { "hazard" } else { "no_go" }.to_owned());
                PlanData { line: outline, area, base: 0.0, top: 0.0, ..base }
            }
            "column" => PlanData { position: [a, b, c], radius: Some(0.2), ..base },
            "station" => PlanData { locked: flag, over: Some(mark), sights: vec![mark], ..at },
            "target" => PlanData {
                target: Some(if flag { "checker" } else { "sphere" }.to_owned()),
                control_sigma: flag.then_some([0.002, 0.003]),
                distances: vec![DistanceDto { to: mark, sigma: 0.001, measured: Some(1.0 + a.abs()) }],
                ..at
            },
            _ => at,
        };
        (vistazo_store::new_id(), kind.to_owned(), data)
    }

    proptest! {
        #![proptest_config(ProptestConfig::with_cases(150))]

        /// A floor came back as an obstacle 3 m high, and everything else as a wall or not at all.
        #[test]
        fn what_is_exported_comes_back_as_what_it_was(
            names in proptest::collection::vec("[a-zA-Z0-9 ,;=\"а-яポé-]{1,12}[a-z]", KINDS.len() - 1),
            numbers in proptest::collection::vec(prop::array::uniform4(-400.0..400.0_f64), KINDS.len() - 1),
            flag in any::<bool>(),
        ) {
            let mark = vistazo_store::new_id();
            let mut items: Vec<Item> = KINDS.iter().filter(|k| **k != "underlay").zip(&names).zip(&numbers)
                .map(|((k, n), v)| item(k, n, *v, flag, mark)).collect();
            let stands = PlanData { name: "M".into(), target: Some("mark".into()), position: [1.0, 2.0, 3.0], ..PlanData::default() };
            items.push((mark, "target".into(), stands));
            let drawn = shapes(&items);
            let dxf = read_dxf(&write_dxf(&drawn).unwrap(), None).unwrap();
            let json = read_geojson(&write_geojson(&drawn)).unwrap();
            for read in [dxf, json] {
                let back = edits(read).unwrap();
                prop_assert_eq!(back.len(), items.len());
                let new = back.last().unwrap().id;
                for (edit, (id, kind, data)) in back.iter().zip(&items) {
                    prop_assert_eq!(&edit.kind, kind);
                    prop_assert_ne!(edit.id, *id);
                    // the mark has a new identifier, which the others name
                    let expected = serde_json::json!(data).to_string().replace(&mark.to_string(), &new.to_string());
                    let mut expected: serde_json::Value = serde_json::from_str(&expected).unwrap();
                    let mut found = edit.data.clone();
                    for (f, e) in ["line", "position"].map(|k| (found[k].take(), expected[k].take())) {
                        let flat = |v: &serde_json::Value| -> Vec<f64> {
                            v.as_array().into_iter().flatten().flat_map(|p| match p.as_array() {
                                Some(l) => l.iter().filter_map(serde_json::Value::as_f64).collect::<Vec<_>>(),
                                None => p.as_f64().into_iter().collect(),
                            }).collect()
                        };
                        let (f, e) = (flat(&f), flat(&e));
                        prop_assert!(f.len() == e.len() && f.iter().zip(&e).all(|(f, e)| (f - e).abs() < 1e-6), "{:?} {:?}", f, e);
                    }
                    prop_assert_eq!(found, expected);
                }
            }
        }
    }
}
