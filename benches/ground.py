"""The ground by public libraries: a cloth laid over the points turned upside down (Zhang et al. 2016, package
cloth-simulation-filter), and triangles by Qhull (scipy). Reads points.bin (n x 3 doubles) and is_ground.bin (n bytes) in the
folder given; prints what it took and what it found."""
import sys, time
import numpy as np

folder = sys.argv[1]
points = np.fromfile(f"{folder}/points.bin").reshape(-1, 3)
truth = np.fromfile(f"{folder}/is_ground.bin", dtype=np.uint8).astype(bool)
try:
    import CSF
    t = time.time()
    csf = CSF.CSF()
    csf.params.bSloopSmooth = False
    csf.params.cloth_resolution = 0.25
    csf.params.class_threshold = 0.05
    csf.params.rigidness = 2
    csf.setPointCloud(points)
    ground, rest = CSF.VecInt(), CSF.VecInt()
    csf.do_filtering(ground, rest)
    took = time.time() - t
    found = np.zeros(len(points), bool)
    found[np.array(ground)] = True
    print(f"  cloth: {took:.2f} s, {len(points) / 1e6 / took:.2f} million points a second; "
          f"{100 * (found & truth).sum() / truth.sum():.2f} % of the ground found, "
          f"{100 * (found & ~truth).sum() / (~truth).sum():.2f} % of the rest taken for it")
except ImportError as e:
    print(f"  cloth: not there ({e})")
from scipy.spatial import Delaunay
corners = np.fromfile(f"{folder}/corners.bin").reshape(-1, 2)
t = time.time()
d = Delaunay(corners)
print(f"  Qhull: {len(corners)} corners, {len(d.simplices)} triangles in {time.time() - t:.2f} s")
