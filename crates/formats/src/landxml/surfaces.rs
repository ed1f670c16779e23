use super::{Land, is};
use crate::error::FormatError;
use std::collections::HashMap;

/// Triangles of a file at most.
pub const MOST_FACES: usize = 4_000_000;

/// A surface as read, metres.
#[derive(Clone, Debug, PartialEq)]
pub struct LandSurface {
    /// Its name, or its number in the file.
    pub name: String,
    /// Easting, northing, height, metres.
    pub corners: Vec<[f64; 3]>,
    /// Three corners each, by their place in `corners`.
    pub faces: Vec<[u32; 3]>,
}

/// Reads every surface of triangles. Faces that the file marks as not seen (`i="1"`) are left out.
///
/// # Errors
/// [`FormatError::Line`] where the file is no XML, states no unit that is known, has a point without three numbers, a face of other
/// than three points, or one of a point that is not there; [`FormatError::Empty`] without a triangle.
///
/// ```
/// let text = r#"<LandXML><Units><Metric linearUnit="meter"/></Units><Surfaces><Surface name="Yard"><Definition surfType="TIN">
/// <Pnts><P id="1">0 0 87</P><P id="2">0 1 87.1</P><P id="7">1 0 87.2</P></Pnts><Faces><F>1 2 7</F></Faces>
/// </Definition></Surface></Surfaces></LandXML>"#;
/// let all = vistazo_formats::landxml::surfaces(text).unwrap();
/// assert_eq!((all[0].name.as_str(), all[0].corners[1], all[0].faces[0]), ("Yard", [1.0, 0.0, 87.1], [0, 1, 2]));
/// ```
pub fn surfaces(text: &str) -> Result<Vec<LandSurface>, FormatError> {
    let land = Land::read(text)?;
    let mut out = Vec::new();
    let mut faces = 0;
    for (k, surface) in land.all("Surface").enumerate() {
        let mut one = LandSurface { name: land.name(surface, k), corners: Vec::new(), faces: Vec::new() };
        let mut by_id: HashMap<&str, u32> = HashMap::new();
        for p in surface.descendants().filter(|n| is(n, "P")) {
            let Some(id) = p.attribute("id") else {
                return Err(land.wrong(p, "a P without an id".into(), "a point with its id"));
            };
            by_id.insert(id, one.corners.len() as u32);
            one.corners.push(land.place(p, "northing, easting and height of a P")?);
        }
        for f in surface.descendants().filter(|n| is(n, "F") && n.attribute("i") != Some("1")) {
            let said = f.text().unwrap_or_default();
            let of: Vec<&str> = said.split_whitespace().collect();
            let [a, b, c] = of[..] else {
                return Err(land.wrong(f, format!("“{said:.60}”"), "three points of a face"));
            };
            let mut face = [0; 3];
            for (id, corner) in [a, b, c].into_iter().zip(&mut face) {
                *corner = *by_id
                    .get(id)
                    .ok_or_else(|| land.wrong(f, format!("the point “{id:.20}”"), "a P of this surface"))?;
            }
            faces += 1;
            if faces > MOST_FACES {
                return Err(land.wrong(
                    f,
                    format!("more than {MOST_FACES} triangles"),
                    "fewer, or one surface at a time",
                ));
            }
            one.faces.push(face);
        }
        if !one.faces.is_empty() {
            out.push(one);
        }
    }
    if out.is_empty() { Err(FormatError::Empty) } else { Ok(out) }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn file(faces: &str) -> String {
        format!(
            "<LandXML>\n<Units><Imperial linearUnit=\"foot\"/></Units><Surfaces><Surface name=\"Yard\"><Definition>\n\
             <Pnts><P id=\"9\">0 0 10</P>\n<P id=\"2\">0 1 10</P><P id=\"a\">1 0 11</P></Pnts>\n\
             <Faces>{faces}</Faces></Definition></Surface></Surfaces></LandXML>"
        )
    }

    #[test]
    fn faces_go_by_the_ids_of_their_points_and_what_is_wrong_is_named() {
        let read = surfaces(&file("<F>9 2 a</F><F i=\"1\">2 9 a</F>")).unwrap();
        assert_eq!((read.len(), &read[0].faces[..]), (1, &[[0, 1, 2]][..]));
        assert!(
            (read[0].corners[2][2] - 11.0 * 0.3048).abs() < 1e-12 && (read[0].corners[1][0] - 0.3048).abs() < 1e-12
        );
        for (faces, said) in [("<F>9 2</F>", "three points"), ("<F>9 2 7</F>", "“7”"), ("<F>9 2 a", "XML")] {
            let e = surfaces(&file(faces)).unwrap_err().to_string();
            assert!(e.contains(said) && e.contains("line"), "{e}");
        }
        assert!(matches!(surfaces(&file("")), Err(FormatError::Empty)));
    }

    #[test]
    fn what_is_written_is_read_again() {
        use crate::ground_files::{About, landxml};
        let about =
            About { name: "Yard", epsg: None, unit: ("ftUS", 1200.0 / 3937.0), note: "", at: Default::default() };
        let corners = [
            [500_000.0, 4e6, 87.0],
            [500_001.0, 4e6, 87.1],
            [500_000.0, 4_000_001.0, 87.2],
            [500_001.0, 4_000_001.0, 88.0],
        ];
        let read = surfaces(&landxml(&about, &corners, &[[0, 1, 2], [1, 3, 2]], &[])).unwrap();
        assert_eq!(read[0].faces, [[0, 1, 2], [1, 3, 2]]);
        for (a, b) in read[0].corners.iter().flatten().zip(corners.iter().flatten()) {
            assert!((a - b).abs() < 1e-4, "{a} {b}");
        }
    }
}
