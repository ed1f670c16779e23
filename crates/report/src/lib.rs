//! The typeset registration report.
//!
//! The caller says what is on the page as facts, tables and a sketch; the template says how it
//! looks. Numbers arrive as text, already in the job's unit.

mod drawing;

pub use drawing::{Picture, ScaleDrawing, typeset_drawing};

use serde::Serialize;
use typst::foundations::{Bytes, Dict, IntoValue};
use typst_as_lib::TypstEngine;

/// What a report says.
#[derive(Clone, Debug, Default, Serialize)]
pub struct Report {
    /// Name of the job.
    pub title: String,
    /// Line under it.
    pub subtitle: String,
    /// Verdict in one line.
    pub verdict: String,
    /// `met`, `not met` or `not demonstrated`: how the verdict is marked.
    pub verdict_kind: String,
    /// Named facts, in two columns.
    pub facts: Vec<(String, String)>,
    /// The short form: its sketch is smaller.
    pub short: bool,
    /// Sections in order.
    pub sections: Vec<Section>,
    /// Sketch of stations and targets.
    pub sketch: Sketch,
    /// Pictures with what they show, at the end.
    pub figures: Vec<Figure>,
    /// The foot of each page.
    pub foot: String,
    /// Who signs: role and name (or a blank to sign).
    pub signatures: Vec<(String, String)>,
    /// What it is headed with.
    pub letterhead: Letterhead,
}

/// Whose report it is.
#[derive(Clone, Debug, Default, Serialize)]
pub struct Letterhead {
    /// Name and address, line by line; may be empty.
    pub lines: Vec<String>,
    /// `#rrggbb`; empty for the usual one.
    pub colour: String,
    /// A PNG or JPEG, where there is one.
    #[serde(skip)]
    pub logo: Option<Vec<u8>>,
}

/// A headed table.
#[derive(Clone, Debug, Default, Serialize)]
pub struct Section {
    /// Heading.
    pub heading: String,
    /// A sentence before the table.
    pub note: String,
    /// Column headings with units.
    pub columns: Vec<String>,
    /// How many columns at the left hold words; the rest hold numbers and are set right.
    pub words: usize,
    /// Rows.
    pub rows: Vec<Vec<String>>,
}

/// Points on a square sheet, coordinates 0..1 from the lower left.
#[derive(Clone, Debug, Default, Serialize)]
pub struct Sketch {
    /// Label, x, y, and what it is: `station`, `target` or `control`.
    pub points: Vec<(String, f64, f64, String)>,
    /// Walls: x1, y1, x2, y2.
    pub lines: Vec<[f64; 4]>,
    /// Length of the scale bar as a share of the sheet, and its label.
    pub scale: (f64, String),
}

/// A picture with what it shows.
#[derive(Clone, Debug, Default, Serialize)]
pub struct Figure {
    /// What it is.
    pub title: String,
    /// Sentences under it.
    pub note: String,
    /// A PNG.
    #[serde(skip)]
    pub png: Vec<u8>,
    /// Names of what is drawn, each with its mark (a character) and colour (`#rrggbb`).
    pub legend: Vec<[String; 3]>,
    /// Length of the scale bar as a share of the width, and its label.
    pub scale: (f64, String),
}

/// Why a report could not be set.
#[derive(Debug, thiserror::Error)]
pub enum ReportError {
    /// The data could not be handed to the template.
    #[error("the report's data could not be written: {0}")]
    Data(#[from] serde_json::Error),
    /// The template refused.
    #[error("the report could not be typeset: {0}")]
    Typeset(String),
}

/// Sets the report as PDF.
///
/// # Errors
/// [`ReportError`] when the template cannot be compiled with this data.
///
/// ```
/// let pdf = vistazo_report::typeset(&vistazo_report::Report { title: "A job".into(), ..Default::default() }).unwrap();
/// assert!(pdf.starts_with(b"%PDF"));
/// ```
pub fn typeset(report: &Report) -> Result<Vec<u8>, ReportError> {
    let mut inputs = Dict::new();
    inputs.insert("report".into(), serde_json::to_string(report)?.into_value());
    if let Some(logo) = &report.letterhead.logo {
        inputs.insert("logo".into(), Bytes::new(logo.clone()).into_value());
    }
    for (k, f) in report.figures.iter().enumerate() {
        inputs.insert(format!("figure-{k}").into(), Bytes::new(f.png.clone()).into_value());
    }
    set(include_str!("report.typ"), inputs)
}

fn set(template: &'static str, inputs: Dict) -> Result<Vec<u8>, ReportError> {
    let engine = TypstEngine::builder().main_file(template).fonts(typst_assets::fonts()).build();
    let document = engine.compile_with_input(inputs).output.map_err(|e| ReportError::Typeset(format!("{e:?}")))?;
    typst_pdf::pdf(&document, &typst_pdf::PdfOptions::default()).map_err(|e| ReportError::Typeset(format!("{e:?}")))
}
