//! A drawing to scale on one sheet of paper.

use crate::{ReportError, set};
use serde::Serialize;
use typst::foundations::{Bytes, Dict, IntoValue};

/// A drawing to scale. Places are millimetres on the paper from its upper left corner.
#[derive(Clone, Debug, Default, Serialize)]
pub struct ScaleDrawing {
    /// Width and height of the paper, millimetres.
    pub paper: [f64; 2],
    /// What it is, large, and a line under it.
    pub title: String,
    /// A line under the title.
    pub subtitle: String,
    /// Both ends and the style: `wall`, `low`, `opening` or `unseen`.
    pub lines: Vec<([f64; 4], String)>,
    /// Places along it and the style, beside those of lines `contour`, `index`, `breakline` or `area`.
    pub paths: Vec<(Vec<[f64; 2]>, String)>,
    /// Centre, radius, and whether somebody agreed.
    pub circles: Vec<[f64; 3]>,
    /// Place, text and turn (degrees clockwise).
    pub labels: Vec<(f64, f64, String, f64)>,
    /// Named facts of the title block.
    pub facts: Vec<(String, String)>,
    /// The scale in words.
    pub scale: String,
    /// Length of the scale bar on the paper, millimetres, and its label.
    pub bar: (f64, String),
    /// Places where grid lines cross: place on the paper, and easting and northing in words where they are said.
    pub crosses: Vec<(f64, f64, String, String)>,
    /// In red over the title block; empty for nothing.
    pub warning: String,
    /// A picture to scale, under everything.
    pub picture: Option<Picture>,
    /// What styles mean: name and style.
    pub key: Vec<(String, String)>,
    /// It stands upright: there is no north.
    pub upright: bool,
}

/// A picture on the paper.
#[derive(Clone, Debug, Serialize)]
pub struct Picture {
    /// Upper left corner, width and height, millimetres.
    pub place: [f64; 4],
    /// PNG.
    #[serde(skip)]
    pub bytes: Vec<u8>,
}

/// Sets the drawing as PDF.
///
/// # Errors
/// [`ReportError`] when the template cannot be compiled with this data.
///
/// ```
/// use vistazo_report::{ScaleDrawing, typeset_drawing};
/// let sheet = ScaleDrawing { paper: [420.0, 297.0], lines: vec![([20.0, 20.0, 90.0, 20.0], "wall".into())], ..Default::default() };
/// assert!(typeset_drawing(&sheet).unwrap().starts_with(b"%PDF"));
/// ```
pub fn typeset_drawing(drawing: &ScaleDrawing) -> Result<Vec<u8>, ReportError> {
    let mut inputs = Dict::new();
    inputs.insert("drawing".into(), serde_json::to_string(drawing)?.into_value());
    if let Some(picture) = &drawing.picture {
        inputs.insert("picture".into(), Bytes::new(picture.bytes.clone()).into_value());
    }
    set(include_str!("drawing.typ"), inputs)
}
