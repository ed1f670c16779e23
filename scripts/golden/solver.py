#!/usr/bin/env python3
"""Solves a large block written by `scripts/bench solver` with scipy's sparse least squares: same observations, own
derivatives. Prints the seconds and writes the positions of the targets next to it. Needs numpy and scipy.

    scripts/golden/solver.py BLOCK.json
"""
import json, sys, time
import numpy as np
from scipy.sparse import coo_matrix
from scipy.sparse.linalg import spsolve
from scipy.spatial.transform import Rotation

d = json.load(open(sys.argv[1]))
S, T = len(d["scans"]), len(d["targets"])
q = np.array([s["rotation"] for s in d["scans"]]); R = Rotation.from_quat(q[:, [1, 2, 3, 0]]).as_matrix(); p = np.array([s["translation"] for s in d["scans"]]); X = np.array(d["targets"])
o = d["observations"]; si = np.array([x["scan"] for x in o]); ti = np.array([x["target"] for x in o]); c = np.array([x["centre"] for x in o])
W = np.array([np.linalg.inv(np.linalg.cholesky(np.array(x["covariance"]).reshape(3, 3))) for x in o]); sl = d["level"]
n = len(o); rows = 3 * np.arange(n)
t0 = time.time()
for it in range(15):
    w = X[ti] - p[si]; Rt = R[si].transpose(0, 2, 1); v = np.einsum("nij,nj->ni", W, c - np.einsum("nij,nj->ni", Rt, w))
    K = np.zeros((n, 3, 3)); K[:, 0, 1], K[:, 0, 2], K[:, 1, 0], K[:, 1, 2], K[:, 2, 0], K[:, 2, 1] = -w[:, 2], w[:, 1], w[:, 2], -w[:, 0], -w[:, 1], w[:, 0]
    WR = W @ Rt; A = np.concatenate([-WR, WR @ K, WR], 2)
    col = np.concatenate([6 * si[:, None] + np.arange(6), 6 * S + 3 * ti[:, None] + np.arange(3)], 1)
    i = np.broadcast_to(rows[:, None, None] + np.arange(3)[None, :, None], A.shape); j = np.broadcast_to(col[:, None, :], A.shape)
    u = R[:, :, 2]; k = np.arange(S)
    li = np.concatenate([3*n + 2*k, 3*n + 2*k + 1]); lj = np.concatenate([6*k + 4, 6*k + 3]); lv = np.concatenate([u[:, 2], -u[:, 2]]) / sl
    # the frame: shift and heading of the first scan stay
    fi = 3*n + 2*S + np.arange(4); fj = np.array([0, 1, 2, 5]); fv = np.full(4, 1e4)
    J = coo_matrix((np.concatenate([A.ravel(), lv, fv]), (np.concatenate([i.ravel(), li, fi]), np.concatenate([j.ravel(), lj, fj]))), shape=(3*n + 2*S + 4, 6*S + 3*T)).tocsc()
    r = np.concatenate([v.ravel(), (-u[:, :2] / sl).ravel(), np.zeros(4)])
    x = spsolve((J.T @ J).tocsc(), J.T @ r, permc_spec="COLAMD")
    p = p + x[:6*S].reshape(S, 6)[:, :3]; R = Rotation.from_rotvec(x[:6*S].reshape(S, 6)[:, 3:]).as_matrix() @ R; X = X + x[6*S:].reshape(T, 3)
    if abs(x).max() < 1e-9: break
print(json.dumps(dict(seconds=time.time() - t0, iterations=it + 1, sum=float(r @ r), targets=X.tolist())))
