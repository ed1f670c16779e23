//! What the grid does to lengths, against figures of an independent library: see
//! `scripts/golden/grid_factors.py`.

use vistazo_core::geometry::Vec3;
use vistazo_formats::crs;

#[test]
fn scale_convergence_and_coordinates_are_those_of_an_independent_library() {
    let text = include_str!("golden/grid_factors.csv");
    let mut places = 0;
    for line in text.lines().skip(1) {
        let v: Vec<f64> = line.split(',').map(|x| x.parse().unwrap()).collect();
        let reference = crs::lookup(v[0] as u16).unwrap();
        let map = reference.map_at(&Vec3::new(v[1], v[2], v[3]), 0.0).unwrap();
        let factors = map.factors.unwrap();
        let code = reference.code;
        assert!((factors.point_scale - v[4]).abs() < 2e-9, "EPSG:{code}: scale {} for {}", factors.point_scale, v[4]);
        assert!(
            (factors.convergence + v[5]).abs() < 2e-8 || (factors.convergence - v[5]).abs() < 2e-8,
            "EPSG:{code}: {} {}",
            factors.convergence,
            v[5]
        );
        // the library's local frame has its y axis to true north, ours to grid north
        let (s, c) = factors.convergence.sin_cos();
        let local = Vec3::new(v[6] * c - v[7] * s, v[6] * s + v[7] * c, v[8]);
        let off = map.apply(&local) - Vec3::new(v[9], v[10], v[11]);
        assert!(off.amax() < 2e-5, "EPSG:{code}: {off:?}");
        assert!((map.inverse(&map.apply(&local)) - local).norm() < 1e-8);
        places += 1;
    }
    assert_eq!(places, 40);
}
