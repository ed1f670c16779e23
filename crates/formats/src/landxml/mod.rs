//! LandXML 1.2 files: points ([`points()`]) and surfaces of triangles ([`surfaces()`]), northing first, in the unit that the file
//! states.

mod points;
mod surfaces;

pub use points::{LandPoint, points};
pub use surfaces::{LandSurface, MOST_FACES, surfaces};

use crate::error::FormatError;
use roxmltree::{Document, Node};
use vistazo_core::units::LengthUnit;

/// Longest name that is kept, characters.
const LONGEST: usize = 80;

/// Whether a text is XML, and so to be read here.
pub fn is_xml(text: &str) -> bool {
    text.trim_start_matches('\u{feff}').trim_start().starts_with('<')
}

/// A file that is well-formed and states its unit.
struct Land<'a> {
    document: Document<'a>,
    metres: f64,
}

impl<'a> Land<'a> {
    fn read(text: &'a str) -> Result<Self, FormatError> {
        let document = Document::parse(text.trim_start_matches('\u{feff}')).map_err(|e| FormatError::Line {
            line: e.pos().row as usize,
            column: e.pos().col as usize,
            found: e.to_string(),
            expected: "well-formed XML".into(),
        })?;
        let land = Self { document, metres: 1.0 };
        let metres = match land.all("Metric").chain(land.all("Imperial")).next() {
            None => 1.0,
            Some(n) => land.unit(n)?,
        };
        Ok(Self { metres, ..land })
    }

    /// Metres of the unit that an element states.
    fn unit(&self, node: Node<'_, 'a>) -> Result<f64, FormatError> {
        Ok(match node.attribute("linearUnit").unwrap_or_default() {
            "meter" | "metre" => 1.0,
            "millimeter" => 1e-3,
            "centimeter" => 1e-2,
            "foot" => LengthUnit::InternationalFoot.metres(),
            "USSurveyFoot" => LengthUnit::UsSurveyFoot.metres(),
            other => {
                let expected = "meter, millimeter, centimeter, foot or USSurveyFoot";
                return Err(self.wrong(node, format!("the unit “{other:.40}”"), expected));
            }
        })
    }

    /// Elements of a name. Namespaces are passed over: files state 1.0, 1.1 or 1.2.
    fn all(&self, name: &'static str) -> impl Iterator<Item = Node<'_, 'a>> {
        self.document.descendants().filter(move |n| is(n, name))
    }

    fn line(&self, node: Node<'_, 'a>) -> usize {
        self.document.text_pos_at(node.range().start).row as usize
    }

    fn wrong(&self, node: Node<'_, 'a>, found: String, expected: &str) -> FormatError {
        let at = self.document.text_pos_at(node.range().start);
        FormatError::Line { line: at.row as usize, column: at.col as usize, found, expected: expected.into() }
    }

    /// What an element is called, or its number in the file, from 0.
    fn name(&self, node: Node<'_, 'a>, number: usize) -> String {
        node.attribute("name").map_or_else(|| (number + 1).to_string(), |n| n.chars().take(LONGEST).collect())
    }

    /// Easting, northing and height that an element says, metres.
    fn place(&self, node: Node<'_, 'a>, expected: &str) -> Result<[f64; 3], FormatError> {
        let said = node.text().unwrap_or_default().trim();
        let numbers: Vec<f64> = said.split_whitespace().filter_map(|v| v.parse().ok()).collect();
        match numbers[..] {
            [n, e, h] if numbers.iter().all(|v: &f64| v.is_finite()) => Ok([e, n, h].map(|v| v * self.metres)),
            _ => Err(self.wrong(node, format!("“{said:.60}”"), expected)),
        }
    }
}

fn is(node: &Node<'_, '_>, name: &str) -> bool {
    node.is_element() && node.tag_name().name() == name
}
