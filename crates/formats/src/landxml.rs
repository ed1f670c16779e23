//! Points of a LandXML 1.2 file: `CgPoint` elements, northing first, in the unit that the file states.

use crate::error::FormatError;
use vistazo_core::units::LengthUnit;

/// Longest name that is kept, characters.
const LONGEST: usize = 80;

/// A point as read, metres.
#[derive(Clone, Debug, PartialEq)]
pub struct LandPoint {
    /// Its line in the file, from 1.
    pub line: usize,
    /// Name, or its number in the file.
    pub name: String,
    /// Easting, northing, height, metres.
    pub position: [f64; 3],
}

/// Whether a text is XML, and so to be read by [`points`].
pub fn is_xml(text: &str) -> bool {
    text.trim_start_matches('\u{feff}').trim_start().starts_with('<')
}

/// Reads the points. References to other points (`pntRef`) have no coordinates of their own and are passed over.
///
/// # Errors
/// [`FormatError::Line`] where the file is no XML, states no unit that is known, or has a point without three numbers;
/// [`FormatError::Empty`] without a point.
///
/// ```
/// let text = r#"<LandXML><Units><Metric linearUnit="meter"/></Units>
/// <CgPoints><CgPoint name="A1">5604820.10 412350.20 87.30</CgPoint></CgPoints></LandXML>"#;
/// let points = vistazo_formats::landxml::points(text).unwrap();
/// assert_eq!((points[0].name.as_str(), points[0].position), ("A1", [412_350.20, 5_604_820.10, 87.30]));
/// ```
pub fn points(text: &str) -> Result<Vec<LandPoint>, FormatError> {
    let text = text.trim_start_matches('\u{feff}');
    let document = roxmltree::Document::parse(text).map_err(|e| FormatError::Line {
        line: e.pos().row as usize,
        column: e.pos().col as usize,
        found: e.to_string(),
        expected: "well-formed XML".into(),
    })?;
    let wrong = |node: roxmltree::Node<'_, '_>, found: String, expected: &str| {
        let at = document.text_pos_at(node.range().start);
        FormatError::Line { line: at.row as usize, column: at.col as usize, found, expected: expected.into() }
    };
    let units = document.descendants().find(|n| n.has_tag_name_of("Metric") || n.has_tag_name_of("Imperial"));
    let metres = match units {
        None => 1.0,
        Some(n) => match n.attribute("linearUnit").unwrap_or_default() {
            "meter" | "metre" => 1.0,
            "millimeter" => 1e-3,
            "centimeter" => 1e-2,
            "foot" => LengthUnit::InternationalFoot.metres(),
            "USSurveyFoot" => LengthUnit::UsSurveyFoot.metres(),
            other => {
                return Err(wrong(
                    n,
                    format!("the unit “{other:.40}”"),
                    "meter, millimeter, centimeter, foot or USSurveyFoot",
                ));
            }
        },
    };
    let mut out = Vec::new();
    for (k, node) in document.descendants().filter(|n| n.has_tag_name_of("CgPoint")).enumerate() {
        if node.attribute("pntRef").is_some() {
            continue;
        }
        let said = node.text().unwrap_or_default().trim();
        let numbers: Vec<f64> = said.split_whitespace().filter_map(|v| v.parse().ok()).collect();
        let [n, e, h] = numbers[..] else {
            return Err(wrong(node, format!("“{said:.60}”"), "northing, easting and height of a CgPoint"));
        };
        if out.len() >= crate::control::MOST_POINTS {
            return Err(wrong(node, format!("more than {} points", out.len()), "fewer points"));
        }
        let name = node.attribute("name").map_or_else(|| (k + 1).to_string(), |n| n.chars().take(LONGEST).collect());
        let position = [e, n, h].map(|v| v * metres);
        out.push(LandPoint { line: document.text_pos_at(node.range().start).row as usize, name, position });
    }
    if out.is_empty() { Err(FormatError::Empty) } else { Ok(out) }
}

/// Names without their namespace: files state 1.0, 1.1 or 1.2.
trait Named {
    fn has_tag_name_of(&self, name: &str) -> bool;
}

impl Named for roxmltree::Node<'_, '_> {
    fn has_tag_name_of(&self, name: &str) -> bool {
        self.is_element() && self.tag_name().name() == name
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn feet_and_namespaces_are_understood_and_what_is_wrong_is_named() {
        let file = |unit: &str, points: &str| {
            format!(
                "<?xml version=\"1.0\"?>\n<LandXML xmlns=\"http://www.landxml.org/schema/LandXML-1.2\">\n<Units><Imperial linearUnit=\"{unit}\"/></Units>\n<CgPoints>\n{points}\n</CgPoints></LandXML>"
            )
        };
        let two = "<CgPoint name=\"1\">200 100 10</CgPoint>\n<CgPoint pntRef=\"1\"/><CgPoint>1 2 3</CgPoint>";
        let read = points(&file("USSurveyFoot", two)).unwrap();
        assert_eq!(read.len(), 2);
        assert!((read[0].position[0] - 100.0 * 1200.0 / 3937.0).abs() < 1e-12 && read[1].name == "3");
        for (unit, points_text, said) in [
            ("rod", two, "rod"),
            ("foot", "<CgPoint name=\"7\">12 13</CgPoint>", "12 13"),
            ("foot", "<CgPoint name=\"7\">12 x 13</CgPoint>", "northing"),
            ("foot", "<CgPoint", "XML"),
        ] {
            let e = points(&file(unit, points_text)).unwrap_err().to_string();
            assert!(e.contains(said) && e.contains("line"), "{e}");
        }
        assert!(matches!(points(&file("foot", "")), Err(FormatError::Empty)));
    }
}
