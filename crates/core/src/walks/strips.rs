use crate::plan::inside;
use nalgebra::Vector2;

/// Walks over open ground to and fro: parallel strips along its longest side, their middles `swath` times one less `overlap`
/// (0..1) apart, each joined to the next at its end. Metres; the outline closes itself. Notches of an outline are walked round as
/// the strips find them: a strip that leaves it and comes back is one strip for each part.
///
/// ```
/// use nalgebra::Vector2;
/// let field = [(0.0, 0.0), (40.0, 0.0), (40.0, 18.0), (0.0, 18.0)].map(|(x, y)| Vector2::new(x, y));
/// let line = vistazo_core::walks::strips(&field, 8.0, 0.25);
/// // three strips of 6 m each cover 18 m
/// assert_eq!(line.len(), 6);
/// ```
pub fn strips(outline: &[Vector2<f64>], swath: f64, overlap: f64) -> Vec<Vector2<f64>> {
    let n = outline.len();
    let sides = (0..n).map(|k| outline[(k + 1) % n] - outline[k]);
    let Some(along) = sides.max_by(|a, b| a.norm().total_cmp(&b.norm())).filter(|a| a.norm() > 1e-6) else {
        return Vec::new();
    };
    let u = along.normalize();
    let v = Vector2::new(-u.y, u.x);
    let span = |axis: &Vector2<f64>| {
        let each = outline.iter().map(|p| p.dot(axis));
        each.fold((f64::INFINITY, f64::NEG_INFINITY), |(a, b), x| (a.min(x), b.max(x)))
    };
    let (low, high) = span(&v);
    let count = ((high - low) / (swath * (1.0 - overlap))).ceil().max(1.0);
    let apart = (high - low) / count;
    let (from, to) = span(&u);
    let margin = (apart / 2.0).min((to - from) / 4.0);
    let mut out = Vec::new();
    for k in 0..count as usize {
        let across = low + apart * (k as f64 + 0.5);
        // where the line runs inside, in short steps
        let steps = (((to - from) / 0.5).ceil() as usize).max(2);
        let at = |i: usize| u * (from + (to - from) * i as f64 / steps as f64) + v * across;
        let mut parts: Vec<[usize; 2]> = Vec::new();
        for i in (0..=steps).filter(|i| inside(outline, &at(*i))) {
            match parts.last_mut() {
                Some(p) if p[1] + 1 == i => p[1] = i,
                _ => parts.push([i, i]),
            }
        }
        let step = (to - from) / steps as f64;
        let ends = parts.iter().filter(|p| p[1] > p[0]).flat_map(|p| {
            let back = ((margin / step) as usize).min((p[1] - p[0]) / 4);
            [at(p[0] + back), at(p[1] - back)]
        });
        let ends: Vec<Vector2<f64>> = ends.collect();
        if k % 2 == 0 { out.extend(ends) } else { out.extend(ends.into_iter().rev()) }
    }
    out
}
