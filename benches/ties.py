"""Two scans laid on one another by public libraries, from the same start and with the same voxels as ours."""

import sys
import time

import numpy as np
import open3d as o3d
import small_gicp

folder = sys.argv[1]
first, second = (np.fromfile(f"{folder}/{k}.f32", dtype=np.float32).reshape(-1, 3).astype(np.float64) for k in (0, 1))
start, truth = (np.loadtxt(f"{folder}/{name}") for name in ("start", "truth"))
VOXEL = 0.05


def off(found):
    d = found[:3, :3] @ truth[:3, :3].T
    turn = np.degrees(np.arccos(np.clip((np.trace(d) - 1) / 2, -1, 1))) * 3600
    return f"off {1000 * np.linalg.norm(found[:3, 3] - truth[:3, 3]):.2f} mm, {turn:.1f}″"


for kind in ("GICP", "PLANE_ICP"):
    begin = time.time()
    result = small_gicp.align(
        first, second, start, registration_type=kind, downsampling_resolution=VOXEL,
        max_correspondence_distance=0.5, num_threads=2, max_iterations=60,
    )
    coarse = time.time() - begin
    result = small_gicp.align(
        first, second, result.T_target_source, registration_type=kind, downsampling_resolution=VOXEL,
        max_correspondence_distance=0.1, num_threads=2, max_iterations=60,
    )
    print(f"  small_gicp, {kind}, once: {coarse:.2f} s; from coarse to fine: {time.time() - begin:.2f} s, {off(result.T_target_source)}", flush=True)

begin = time.time()
clouds = []
for points in (first, second):
    cloud = o3d.geometry.PointCloud(o3d.utility.Vector3dVector(points)).voxel_down_sample(VOXEL)
    cloud.estimate_normals(o3d.geometry.KDTreeSearchParamHybrid(radius=0.25, max_nn=20))
    clouds.append(cloud)
pose = start
for reach in (0.5, 0.1):
    kernel = o3d.pipelines.registration.TukeyLoss(k=reach)
    method = o3d.pipelines.registration.TransformationEstimationPointToPlane(kernel)
    criteria = o3d.pipelines.registration.ICPConvergenceCriteria(max_iteration=60)
    pose = o3d.pipelines.registration.registration_icp(clouds[1], clouds[0], reach, pose, method, criteria).transformation
print(f"  open3d, point to plane, robust, from coarse to fine: {time.time() - begin:.2f} s, {off(pose)}", flush=True)
