"""Graphs of poses by a public library (package gtsam): the same facts with the same weights from the same start. Reads graphs.json in
the folder given; prints what it took, how far its poses are from the truth and from ours, and its σ against ours."""
import json, sys, time
import numpy as np
import gtsam


def pose(p):
    return gtsam.Pose3(gtsam.Rot3.Quaternion(p[0], p[1], p[2], p[3]), np.array(p[4:7]))


def noise(sigma, p):
    # ours: shift and turn in the frame it is measured in; theirs: turn and shift in the frame that is measured
    turn = pose(p).rotation().matrix().T
    s = np.array(sigma) ** 2
    c = np.zeros((6, 6))
    c[:3, :3] = turn @ np.diag(s[3:]) @ turn.T
    c[3:, 3:] = turn @ np.diag(s[:3]) @ turn.T
    return gtsam.noiseModel.Gaussian.Covariance(c)


for g in json.load(open(f"{sys.argv[1]}/graphs.json")):
    t = time.time()
    graph, start = gtsam.NonlinearFactorGraph(), gtsam.Values()
    for k, p in enumerate(g["start"]):
        start.insert(k, pose(p))
    for f in g["facts"]:
        n = noise(f["sigma"], f["pose"])
        if "of" in f:
            graph.add(gtsam.PriorFactorPose3(f["of"], pose(f["pose"]), n))
        else:
            graph.add(gtsam.BetweenFactorPose3(f["from"], f["to"], pose(f["pose"]), n))
    built = time.time() - t
    t = time.time()
    found = gtsam.LevenbergMarquardtOptimizer(graph, start).optimize()
    solved = time.time() - t
    t = time.time()
    marginals = gtsam.Marginals(graph, found)
    sigma = []
    for k in range(len(g["start"])):
        c = marginals.marginalCovariance(k)
        sigma.append(np.sqrt(np.trace(c[3:, 3:])))
    known = time.time() - t
    at = np.array([found.atPose3(k).translation() for k in range(len(g["start"]))])
    ours, truth = (np.array([p[4:7] for p in g[w]]) for w in ("ours", "truth"))
    off = lambda a, b: 1e3 * np.sqrt(((a - b) ** 2).sum(1).mean())
    ratio = np.array(g["sigma"]) / np.array(sigma)
    print(f"  {len(at)} poses: settled in {solved:.3f} s (built in {built:.2f} s), covariances of all in {known:.3f} s; "
          f"{off(at, truth):.2f} mm from the truth, {off(at, ours):.4f} mm from ours; our σ over its {ratio.min():.4f} to {ratio.max():.4f}")
