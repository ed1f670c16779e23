"""Two scans set against one another, and stray points found, by public libraries, on the same points as ours."""

import resource
import sys
import time

import numpy as np

folder = sys.argv[1]
read = lambda name: np.fromfile(f"{folder}/{name}", dtype=np.float64).reshape(-1, 3)
first, second, core = read("0.f64"), read("1.f64"), read("core.f64")
mixed = np.fromfile(f"{folder}/mixed.u8", dtype=np.uint8).astype(bool)


def peak():
    return f"{resource.getrusage(resource.RUSAGE_SELF).ru_maxrss / 1024:.0f} MB at most"


try:
    import py4dgeo

    py4dgeo.set_num_threads(2)
    begin = time.time()
    epochs = [py4dgeo.Epoch(p) for p in (first, second)]
    settings = {"epochs": epochs, "corepoints": core, "normal_radii": (0.2,), "max_distance": 0.2}
    try:
        method = py4dgeo.M3C2(cyl_radius=0.2, **settings)
    except TypeError:
        method = py4dgeo.M3C2(cyl_radii=(0.2,), **settings)
    distance, uncertainty = method.run()
    seconds = time.time() - begin
    known = np.isfinite(distance) & np.isfinite(uncertainty["lodetection"])
    beyond = np.abs(distance[known]) > uncertainty["lodetection"][known]
    print(f"  py4dgeo, M3C2 at the same places: {seconds:.2f} s, {known.sum()} places, {100 * beyond.mean():.1f} % beyond its level of detection; {peak()}", flush=True)
except ImportError:
    print("  py4dgeo is not there")

try:
    import open3d as o3d

    begin = time.time()
    cloud = o3d.geometry.PointCloud(o3d.utility.Vector3dVector(first))
    _, kept = cloud.remove_statistical_outlier(nb_neighbors=20, std_ratio=2.0)
    seconds = time.time() - begin
    out = np.ones(len(first), dtype=bool)
    out[np.asarray(kept)] = False
    print(
        f"  open3d, statistical outliers: {seconds:.2f} s, {len(first) / 1e6 / seconds:.1f} million points a second, "
        f"{(out & mixed).sum()} of {mixed.sum()} mixed ones found, {100 * out[~mixed].mean():.3f} % of the others with them; {peak()}",
        flush=True,
    )
except ImportError:
    print("  open3d is not there")
