//! A slice as it stands in the report: what each scan shows, by a mark and a colour of its own.

use crate::dto::Brief;
use crate::work::slices;
use vistazo_report::Figure;

/// Pixels across.
const WIDTH: usize = 2000;
/// Marks in turn: name, and the pixels about its middle.
const MARKS: [(&str, &[(i32, i32)]); 4] = [
    ("●", &[(0, 0), (1, 0), (0, 1), (1, 1), (-1, 0), (0, -1), (-1, 1), (1, -1), (-1, -1)]),
    ("+", &[(0, 0), (-2, 0), (-1, 0), (1, 0), (2, 0), (0, -2), (0, -1), (0, 1), (0, 2)]),
    ("×", &[(0, 0), (-2, -2), (-1, -1), (1, 1), (2, 2), (-2, 2), (-1, 1), (1, -1), (2, -2)]),
    ("○", &[(-2, -1), (-2, 0), (-2, 1), (2, -1), (2, 0), (2, 1), (-1, -2), (0, -2), (1, -2), (-1, 2), (0, 2), (1, 2)]),
];
const COLOURS: [[u8; 3]; 4] = [[0x22, 0x30, 0x3c], [0xb0, 0x78, 0x12], [0x1d, 0x6b, 0x74], [0xb0, 0x2f, 0x2a]];

/// The mark and colour of the scan in this place: no two of the first sixteen are alike.
fn look(k: usize) -> (usize, usize) {
    (k % 4, (k + k / 4) % 4)
}

/// The picture with its words.
pub(super) fn figure(brief: &Brief, f: &slices::Figure) -> Figure {
    let unit = brief.unit();
    let cut = &f.cut;
    let bar = [0.01, 0.02, 0.05, 0.1, 0.2, 0.5, 1.0, 2.0, 5.0, 10.0, 20.0, 50.0, 100.0];
    let bar = bar.into_iter().rfind(|b| b * unit.metres() < cut.width * 0.25).unwrap_or(0.01);
    let [e, n, h] = cut.at.map(|v| v / unit.metres());
    let plane = match cut.tilt {
        t if t < 0.5 => format!("Level, seen from above, bearing {:.1}° to the right", cut.bearing),
        t if t > 89.5 => format!("Upright, bearing {:.1}° to the right", cut.bearing),
        t => format!("Tilted {t:.1}°, bearing {:.1}° to the right", cut.bearing),
    };
    let mut note = format!(
        "{plane}; middle E {e:.3} N {n:.3} H {h:.3} {}; {} thick. Looked at by {}, {} UTC",
        unit.code(),
        brief.length(cut.thickness),
        f.looked.by,
        f.looked.at.format("%Y-%m-%d %H:%M"),
    );
    if !f.looked.note.is_empty() {
        note += &format!(": {}", f.looked.note);
    }
    note += ".";
    if f.stale {
        note += " Scans or registration changed since; drawn as it is now.";
    }
    let colour = |k: usize| COLOURS[look(k).1].iter().fold("#".to_owned(), |t, v| format!("{t}{v:02x}"));
    Figure {
        title: f.said.clone(),
        note,
        png: png(cut.width, cut.height, &f.scans).unwrap_or_default(),
        legend: f.scans.iter().map(|s| [s.1.clone(), MARKS[look(s.0).0].0.into(), colour(s.0)]).collect(),
        scale: (bar * unit.metres() / cut.width, format!("{bar} {}", unit.code())),
    }
}

fn png(width: f64, height: f64, scans: &[slices::Drawn]) -> Result<Vec<u8>, png::EncodingError> {
    let w = WIDTH;
    let h = ((WIDTH as f64 * height / width) as usize).clamp(200, 2 * WIDTH);
    let scale = w as f64 / width;
    let mut rgb = vec![0xff_u8; 3 * w * h];
    // the one that shows most lies under the others
    for (number, _, points) in scans {
        let (mark, colour) = look(*number);
        for p in points {
            let (x, y) = (((p[0] + width / 2.0) * scale) as i32, ((height / 2.0 - p[1]) * scale) as i32);
            for (dx, dy) in MARKS[mark].1 {
                let (x, y) = (x + dx, y + dy);
                if (0..w as i32).contains(&x) && (0..h as i32).contains(&y) {
                    let at = 3 * (y as usize * w + x as usize);
                    rgb[at..at + 3].copy_from_slice(&COLOURS[colour]);
                }
            }
        }
    }
    let mut out = Vec::new();
    let mut encoder = png::Encoder::new(&mut out, w as u32, h as u32);
    encoder.set_color(png::ColorType::Rgb);
    encoder.write_header()?.write_image_data(&rgb)?;
    Ok(out)
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::dto::{CutDto, LookedDto};
    use std::collections::HashSet;

    #[test]
    fn a_slice_is_typeset_with_its_scale_and_its_marks() {
        let looks: HashSet<_> = (0..16).map(look).collect();
        assert_eq!(looks.len(), 16);
        let cut = CutDto { at: [1.0, 2.0, 3.0], bearing: 90.0, tilt: 0.0, width: 1.6, height: 0.8, thickness: 0.02 };
        let looked = LookedDto { by: "Irma".into(), at: chrono::Utc::now(), note: "agrees".into() };
        let line = |at: f64| (0..200).map(|k| [f64::from(k) * 0.008 - 0.8, at]).collect::<Vec<_>>();
        let scans = vec![(0, "S1".to_owned(), line(0.0)), (1, "S2".to_owned(), line(0.01))];
        let f = slices::Figure { said: "S1–S2".into(), looked, stale: false, cut, scans };
        let made = figure(&Brief::default(), &f);
        // the bar says 0.2 m, an eighth of the width
        assert_eq!(made.scale, (0.125, "0.2 m".to_owned()));
        let mut reader = png::Decoder::new(std::io::Cursor::new(&made.png)).read_info().unwrap();
        let mut pixels = vec![0; reader.output_buffer_size().unwrap()];
        reader.next_frame(&mut pixels).unwrap();
        let row = |y: usize| (0..WIDTH).filter(|x| pixels[3 * (y * WIDTH + x)] != 0xff).count();
        // both lines are drawn, 12 pixels or so apart, and nothing between
        assert!(row(500) > 200 && row(487) > 200 && row(494) == 0, "{} {} {}", row(500), row(487), row(494));
        let report = vistazo_report::Report { title: "A".into(), figures: vec![made], ..Default::default() };
        assert!(vistazo_report::typeset(&report).unwrap().starts_with(b"%PDF"));
    }
}
