//! What reports of a job are headed with.
#![allow(missing_docs)] // fields carry the names of the job

use crate::ApiError;
use base64::Engine;
use base64::prelude::BASE64_STANDARD;
use serde::{Deserialize, Serialize};
use utoipa::ToSchema;
use vistazo_store::letterheads::Letterhead;

/// Lines of a letterhead, characters of one, bytes and pixels of a logo at most.
const LINES: usize = 6;
const LONGEST: usize = 80;
const HEAVIEST: usize = 400_000;
const WIDEST: u32 = 4000;
/// The least contrast of its colour on paper, as large text needs.
const CONTRAST: f64 = 3.0;

/// Name and address of the office, its colour and its logo.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, ToSchema)]
#[serde(deny_unknown_fields)]
pub struct LetterheadDto {
    /// Line by line, six of 80 characters at most.
    pub lines: Vec<String>,
    /// `#rrggbb`.
    pub colour: String,
    /// A PNG or JPEG, base64.
    pub logo: Option<String>,
    /// The version that was seen; 0 for none yet.
    pub version: i32,
}

impl Default for LetterheadDto {
    fn default() -> Self {
        Self { lines: Vec::new(), colour: "#1d6b74".into(), logo: None, version: 0 }
    }
}

impl From<Letterhead> for LetterheadDto {
    fn from(l: Letterhead) -> Self {
        Self {
            lines: l.lines.lines().map(str::to_owned).collect(),
            colour: l.colour,
            logo: l.logo.map(|b| BASE64_STANDARD.encode(b)),
            version: l.version,
        }
    }
}

impl LetterheadDto {
    /// As it is kept.
    ///
    /// # Errors
    /// Names the field, what was found and what is expected.
    pub fn to_store(&self) -> Result<Letterhead, ApiError> {
        let long = self.lines.iter().find(|l| l.chars().count() > LONGEST || l.chars().any(char::is_control));
        if self.lines.len() > LINES || long.is_some() {
            let says = format!("found {} lines, expected at most {LINES} of {LONGEST} characters", self.lines.len());
            return Err(ApiError::field("lines", says));
        }
        let colour = self.colour.to_ascii_lowercase();
        let parts = (colour.len() == 7 && colour.starts_with('#') && colour.is_ascii())
            .then(|| [1, 3, 5].map(|k| u8::from_str_radix(&colour[k..k + 2], 16).ok()));
        let Some([Some(r), Some(g), Some(b)]) = parts else {
            return Err(ApiError::field("colour", format!("found “{}”, expected # and six hex digits", self.colour)));
        };
        let on_paper = contrast([r, g, b]);
        if on_paper < CONTRAST {
            let says = format!(
                "found a contrast of {on_paper:.1} on white paper, expected {CONTRAST} at least: take a darker one"
            );
            return Err(ApiError::field("colour", says));
        }
        let logo = self.logo.as_deref().filter(|l| !l.is_empty()).map(logo).transpose()?;
        let lines = self.lines.iter().map(|l| l.trim()).filter(|l| !l.is_empty()).collect::<Vec<_>>().join("\n");
        Ok(Letterhead { lines, colour, logo, version: self.version })
    }
}

fn logo(text: &str) -> Result<Vec<u8>, ApiError> {
    let bad = |says: String| ApiError::field("logo", says);
    if text.len() > 2 * HEAVIEST {
        return Err(bad(format!("found {} kB, expected at most {} kB", text.len() * 3 / 4000, HEAVIEST / 1000)));
    }
    let bytes = BASE64_STANDARD.decode(text).map_err(|e| bad(format!("it is no base64: {e}")))?;
    if bytes.len() > HEAVIEST {
        return Err(bad(format!("found {} kB, expected at most {} kB", bytes.len() / 1000, HEAVIEST / 1000)));
    }
    let reader = image::ImageReader::new(std::io::Cursor::new(&bytes)).with_guessed_format();
    let size = reader.ok().and_then(|r| r.into_dimensions().ok());
    match size {
        Some((w, h)) if (1..=WIDEST).contains(&w) && (1..=WIDEST).contains(&h) => Ok(bytes),
        Some((w, h)) => Err(bad(format!("found {w} by {h} pixels, expected at most {WIDEST} each way"))),
        None => Err(bad("found a file that is no PNG and no JPEG".into())),
    }
}

/// Contrast of a colour to white, as WCAG has it.
fn contrast(rgb: [u8; 3]) -> f64 {
    let linear = |v: u8| {
        let v = f64::from(v) / 255.0;
        if v <= 0.04045 { v / 12.92 } else { ((v + 0.055) / 1.055).powf(2.4) }
    };
    let [r, g, b] = rgb.map(linear);
    1.05 / (0.2126 * r + 0.7152 * g + 0.0722 * b + 0.05)
}
