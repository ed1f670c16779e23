use super::Land;
use crate::error::FormatError;

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
    let land = Land::read(text)?;
    let mut out = Vec::new();
    for (k, node) in land.all("CgPoint").enumerate() {
        if node.attribute("pntRef").is_some() {
            continue;
        }
        let position = land.place(node, "northing, easting and height of a CgPoint")?;
        if out.len() >= crate::control::MOST_POINTS {
            return Err(land.wrong(node, format!("more than {} points", out.len()), "fewer points"));
        }
        out.push(LandPoint { line: land.line(node), name: land.name(node, k), position });
    }
    if out.is_empty() { Err(FormatError::Empty) } else { Ok(out) }
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
