#!/usr/bin/env python3
"""Point scale, convergence and points of a local frame on the grid at twenty places, by pyproj; written for
crates/formats/tests/grid.rs. Needs pyproj and numpy.

    scripts/golden/grid_factors.py > crates/formats/tests/files/golden/grid_factors.csv
"""
import math
import numpy as np
from pyproj import CRS, Proj, Transformer

PLACES = [  # EPSG, longitude, latitude, height over the ellipsoid
    (25832, 7.75, 50.58, 87), (25832, 11.9, 48.1, 520), (25833, 13.4, 52.5, 35), (32632, 9.0, 47.0, 1800),
    (32618, -74.0, 40.7, 12), (32719, -70.6, -33.4, 540), (32756, 151.2, -33.9, 40), (2154, 2.35, 48.85, 40),
    (27700, -1.5, 52.5, 120), (2056, 7.44, 46.95, 560), (31370, 4.35, 50.85, 60), (28992, 5.39, 52.16, 3),
    (5514, 15.0, 50.0, 300), (2180, 19.0, 52.0, 110), (3067, 25.0, 62.0, 90), (2263, -73.95, 40.72, 15),
    (2229, -118.3, 34.1, 90), (6350, -96.0, 38.0, 400), (2193, 174.8, -41.3, 20), (6677, 139.7, 35.7, 40),
]

print("epsg,E [m],N [m],H [m],point scale,convergence [rad],e [m],n [m],u [m],E of it [m],N of it [m],H of it [m]")
for code, lon, lat, h in PLACES:
    crs = CRS.from_epsg(code)
    geographic = crs.geodetic_crs
    to_grid = Transformer.from_crs(geographic, crs, always_xy=True)
    metres = crs.axis_info[0].unit_conversion_factor
    # the sign of the axes: systems that count to west or south are given as east and north here
    f = Proj(crs).get_factors(lon, lat)
    scale = math.sqrt(f.meridional_scale * f.parallel_scale)
    ell = crs.ellipsoid
    a, b = ell.semi_major_metre, ell.semi_minor_metre
    e2 = 1 - (b / a) ** 2
    globe = Transformer.from_crs(geographic, CRS.from_proj4(f"+proj=geocent +a={a} +b={b} +units=m +no_defs"), always_xy=True)
    def space(lon, lat, h):
        lo, la = math.radians(lon), math.radians(lat)
        n = a / math.sqrt(1 - e2 * math.sin(la) ** 2)
        return np.array([(n + h) * math.cos(la) * math.cos(lo), (n + h) * math.cos(la) * math.sin(lo), (n * (1 - e2) + h) * math.sin(la)])
    back = Proj(f"+proj=geocent +a={a} +b={b}")
    def surface(p):
        r, la = math.hypot(p[0], p[1]), 0.0
        la = math.atan2(p[2], r * (1 - e2))
        for _ in range(20):
            n = a / math.sqrt(1 - e2 * math.sin(la) ** 2); hh = r / math.cos(la) - n
            la = math.atan2(p[2], r * (1 - e2 * n / (n + hh)))
        return math.degrees(math.atan2(p[1], p[0])), math.degrees(la), hh
    lo, la = math.radians(lon), math.radians(lat)
    east = np.array([-math.sin(lo), math.cos(lo), 0]); up = np.array([math.cos(la) * math.cos(lo), math.cos(la) * math.sin(lo), math.sin(la)]); north = np.cross(up, east)
    E, N = to_grid.transform(lon, lat)
    for e, n, u in ((180.0, -90.0, 12.0), (-150.0, 210.0, -4.0)):
        x, y, z = surface(space(lon, lat, h) + e * east + n * north + u * up)
        E2, N2 = to_grid.transform(x, y)
        print(f"{code},{E*metres:.6f},{N*metres:.6f},{h},{scale:.12f},{math.radians(f.meridian_convergence):.12f},{e},{n},{u},{E2*metres:.6f},{N2*metres:.6f},{z:.6f}")
