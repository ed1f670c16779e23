use crate::instrument::Instrument;
use crate::scan::Scan;
use rayon::prelude::*;

/// How much rougher the ranges of a scan are than its profile says, 1 to 8: a scan that is smoother may have been
/// smoothed, and opens no gate less.
///
/// The middle one of three neighbouring ranges is off the mean of the other two by √1.5 of the noise where they lie
/// on one surface. The lower quartile over the scan sees neither edges nor what is dark.
pub(super) fn roughness(scan: &Scan, instrument: &Instrument) -> f64 {
    const ROWS: usize = 64;
    let every = (scan.rows as usize / ROWS).max(1);
    let mut ratios: Vec<f64> = (0..scan.rows as usize)
        .step_by(every)
        .collect::<Vec<_>>()
        .into_par_iter()
        .flat_map_iter(|row| {
            let range = move |col: i64| scan.point(row as i64, col).map(|p| p.norm());
            (1..i64::from(scan.cols) - 1).step_by(5).filter_map(move |col| {
                let (a, b, c) = (range(col - 1)?, range(col)?, range(col + 1)?);
                // 0.8: a usual incidence
                let stated = 1.5_f64.sqrt() * instrument.range_noise(b, 0.8);
                Some((f64::midpoint(a, c) - b).abs() / stated)
            })
        })
        .collect();
    // a quarter of a normal distribution lies within 0.3186 σ
    let quarter = ratios.len() / 4;
    if quarter == 0 {
        return 1.0;
    }
    let (_, q, _) = ratios.select_nth_unstable_by(quarter, f64::total_cmp);
    (*q / 0.3186).clamp(1.0, 8.0)
}
