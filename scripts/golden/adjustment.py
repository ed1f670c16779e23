#!/usr/bin/env python3
"""Golden numbers for the adjustment, solved here independently with numpy and scipy: a free network with levels,
data snooping, variance components, a resection, a levelled traverse over marks, a Helmert fit with weights. No
code and no derivative is shared with the program: residuals are written down anew and differentiated numerically.

    scripts/golden/adjustment.py > crates/core/tests/rules/golden/adjustment.json
"""
import json
import numpy as np
from scipy.optimize import least_squares
from scipy.spatial.transform import Rotation

rng = np.random.default_rng(20261126)
out = {}

def numeric_jacobian(f, x):
    f0, n = f(x), len(x)
    J = np.zeros((len(f0), n))
    for k in range(n):
        h = 1e-5
        d = np.zeros(n); d[k] = h
        J[:, k] = (f(x + d) - f(x - d)) / (2 * h)
    return J

def cov(scale):
    A = rng.normal(size=(3, 3)); Q, _ = np.linalg.qr(A)
    return Q @ np.diag(scale * rng.uniform(.5, 2, 3) ** 2) @ Q.T

# ---- a free network: three levelled scans, seven targets
stations = np.array([[0, 0, 1.6], [9, 2, 1.7], [4, 9, 1.5]], float)
targets = np.array([[1, 6, 1.2], [8, 2.5, 1.5], [3, -4, .8], [9, 9, 1.9], [-4, 3, 1.1], [12, -3, 1.6], [5, 4, 2.4]], float)
yaw = [0.3, -1.1, 2.0]; sigma_level = 3e-4
truth = [Rotation.from_euler("z", y) for y in yaw]
obs = []
for s in range(3):
    for t in range(7):
        C = cov(1e-6)
        c = truth[s].inv().apply(targets[t] - stations[s]) + np.linalg.cholesky(C) @ rng.normal(size=3)
        obs.append((s, t, c, C))
start = [(truth[s] * Rotation.from_euler("z", .002 * s), stations[s] + .003 * s) for s in range(3)]

def unpack(x):
    poses = [(Rotation.from_rotvec(x[6*s+3:6*s+6]) * start[s][0], start[s][1] + x[6*s:6*s+3]) for s in range(3)]
    return poses, targets + x[18:].reshape(-1, 3)

def residuals(x, obs, weights=None):
    poses, T = unpack(x); r = []
    for k, (s, t, c, C) in enumerate(obs):
        L = np.linalg.cholesky(C)
        w = 1.0 if weights is None else weights[0]
        r.append(np.linalg.solve(L, c - poses[s][0].inv().apply(T[t] - poses[s][1])) * w)
    for s in range(3):
        u = poses[s][0].apply([0, 0, 1])
        w = 1.0 if weights is None else weights[1]
        r.append(-u[:2] / sigma_level * w)
    return np.concatenate(r)

def frame(x):
    # shifts and the turn about the vertical: what the block as a whole may do. The turn moves a tilt that is not
    # nil, which changes no sum of squares but shows in the first derivatives; so the frame is taken out by hand
    poses, T = unpack(x); c = T.mean(0); G = np.zeros((39, 4))
    for s in range(3):
        G[6*s:6*s+3, :3] = np.eye(3); G[6*s:6*s+3, 3] = np.cross([0, 0, 1], poses[s][1] - c); G[6*s+5, 3] = 1
    for t in range(7): G[18+3*t:21+3*t, :3] = np.eye(3); G[18+3*t:21+3*t, 3] = np.cross([0, 0, 1], T[t] - c)
    return G

def held(f, x):
    J, G = numeric_jacobian(f, x), frame(x)
    Qg, _ = np.linalg.qr(G)
    return J - (J @ Qg) @ Qg.T

def inverse(J, x):
    # with the frame held by inner constraints the normal matrix is regular
    Qg, _ = np.linalg.qr(frame(x))
    N = J.T @ J; k = np.sqrt(np.diag(N)); k[k == 0] = 1
    N = N + Qg @ Qg.T * k.max() ** 2 * 1e-3
    I = np.linalg.inv(N / np.outer(k, k)) / np.outer(k, k)
    P = np.eye(39) - Qg @ Qg.T
    return P @ I @ P

def solve(obs, weights=None):
    f = lambda x: residuals(x, obs, weights)
    # the minimum-norm step leaves the frame near the start; then any frame will do for what is compared
    x = np.zeros(39)
    for _ in range(25):
        J, r = held(f, x), f(x)
        step = inverse(J, x) @ (J.T @ r)
        x = x - step
        if abs(step).max() < 1e-13: break
    return x, f

def network(obs):
    x, f = solve(obs); r = f(x); J = held(f, x)
    Q = inverse(J, x)
    poses, T = unpack(x)
    # frame by inner constraints over the targets: S-transformation by hand
    c = T.mean(0); G = np.zeros((39, 4)); B = np.zeros((39, 4))
    for s in range(3):
        p = poses[s][1]
        G[6*s:6*s+3, :3] = np.eye(3); G[6*s:6*s+3, 3] = np.cross([0, 0, 1], p - c); G[6*s+5, 3] = 1
    for t in range(7):
        for M in (G, B): M[18+3*t:21+3*t, :3] = np.eye(3); M[18+3*t:21+3*t, 3] = np.cross([0, 0, 1], T[t] - c)
    S = np.eye(39) - G @ np.linalg.inv(B.T @ G) @ B.T
    Q = S @ Q @ S.T
    R = np.eye(len(r)) - J @ inverse(J, x) @ J.T
    tests = []
    for k in range(len(obs)):
        i = slice(3*k, 3*k+3)
        tests.append(dict(statistic=float(r[i] @ np.linalg.solve(R[i, i], r[i])), redundancy=float(np.trace(R[i, i]))))
    D = [[float(np.linalg.norm(T[a] - T[b])) for b in range(7)] for a in range(7)]
    return dict(sum=float(r @ r), dof=len(r) - 39 + 4, distances=D, target_sigma=[float(np.sqrt(np.trace(Q[18+3*t:21+3*t, 18+3*t:21+3*t]))) for t in range(7)],
                heading_sigma=[float(np.sqrt(Q[6*s+5, 6*s+5])) for s in range(3)], tests=tests)

pack = lambda obs: [dict(scan=s, target=t, centre=c.tolist(), covariance=C.reshape(-1).tolist()) for s, t, c, C in obs]
out["free_network"] = dict(stations=stations.tolist(), yaw=yaw, targets=targets.tolist(), sigma_level=sigma_level, observations=pack(obs), expected=network(obs))

# ---- data snooping: one gross error, found first by the largest test
wrong = [(s, t, c + (np.array([.012, -.009, .004]) if (s, t) == (1, 3) else 0), C) for s, t, c, C in obs]
e = network(wrong)
out["data_snooping"] = dict(observations=pack(wrong), wrong=[1, 3], expected=e)

# ---- variance components: target noise 1.7 times, levels 3 times what is stated
vc_obs, tilt = [], []
for s in range(3):
    tilt.append(Rotation.from_euler("xy", rng.normal(size=2) * 3 * sigma_level))
for s in range(3):
    pose = tilt[s] * truth[s]
    for t in range(7):
        C = cov(1e-6)
        vc_obs.append((s, t, pose.inv().apply(targets[t] - stations[s]) + 1.7 * np.linalg.cholesky(C) @ rng.normal(size=3), C))
factors = np.array([1.0, 1.0])
for _ in range(200):
    w = 1 / np.sqrt(factors)
    x, f = solve(vc_obs, w); r = f(x); J = held(f, x)
    R = np.eye(len(r)) - J @ inverse(J, x) @ J.T
    g = [slice(0, 63), slice(63, 69)]
    step = np.array([(r[i] @ r[i]) / np.trace(R[i, i]) for i in g])
    factors = factors * step
    if abs(step - 1).max() < 1e-8: break
out["variance_components"] = dict(observations=pack(vc_obs), expected=dict(targets=float(factors[0]), levels=float(factors[1])))

# ---- resection: one levelled scan on four known points
known = targets[:4]; kc = [(t, truth[0].inv().apply(known[t] - stations[0]) + rng.normal(size=3) * 1e-3) for t in range(4)]
def res(x):
    R = Rotation.from_rotvec(x[3:6]) * truth[0]; r = [(c - R.inv().apply(known[t] - stations[0] - x[:3])) / 1e-3 for t, c in kc]
    return np.concatenate(r + [-R.apply([0, 0, 1])[:2] / sigma_level])
s = least_squares(res, np.zeros(6), xtol=1e-15, ftol=1e-15, gtol=1e-15); J = numeric_jacobian(res, s.x); Q = np.linalg.inv(J.T @ J)
out["resection"] = dict(known=known.tolist(), centres=[c.tolist() for _, c in kc], station=(stations[0] + s.x[:3]).tolist(), sigma=np.sqrt(np.diag(Q)[:3]).tolist(), sum=float(res(s.x) @ res(s.x)))

# ---- a levelled traverse over marks between two known ones
marks = np.array([[0, 0, 0], [60, 8, 1.2], [120, -5, 2.4], [175, 10, 3.1]], float); h = [1.64, 1.58, 1.71]
head = [0.4, 1.7, -2.2]; sights = []
for s in range(3):
    R = Rotation.from_euler("z", head[s])
    for t in ((s - 1) if s else None, s + 1):
        if t is None: continue
        sights.append((s, t, R.inv().apply(marks[t] + [0, 0, 1.5] - marks[s] - [0, 0, h[s]]) + rng.normal(size=3) * 1e-3))
sg = np.array([.0015, .002, .0018])
def trav(x):
    T = marks.copy(); T += x[18:30].reshape(4, 3); r = []
    for s in range(3):
        p = marks[s] + [0, 0, h[s]] + x[6*s:6*s+3]; R = Rotation.from_rotvec(x[6*s+3:6*s+6]) * Rotation.from_euler("z", head[s])
        r.append((np.array([0, 0, h[s]]) - (p - T[s])) / [.001, .001, .0015])
        r.append(-R.apply([0, 0, 1])[:2] / sigma_level)
        for k, t, m in sights:
            if k != s: continue
            along = m / np.linalg.norm(m); across = np.cross([0, 0, 1], along); across /= np.linalg.norm(across); up = np.cross(along, across)
            d = m - R.inv().apply(T[t] + [0, 0, 1.5] - p)
            r.append(np.array([across @ d, along @ d, up @ d]) / sg)
    for t in (0, 3): r.append((marks[t] - T[t]) / .002)
    return np.concatenate(r)
s = least_squares(trav, np.zeros(30), xtol=1e-15, ftol=1e-15, gtol=1e-15); J = numeric_jacobian(trav, s.x); Q = np.linalg.inv(J.T @ J)
out["traverse"] = dict(marks=marks.tolist(), heights=h, headings=head, sights=[dict(scan=k, target=t, reflector=m.tolist()) for k, t, m in sights], sigma=sg.tolist(),
    expected=dict(marks=(marks + s.x[18:].reshape(4, 3)).tolist(), sigma=np.sqrt(np.diag(Q)[18:]).reshape(4, 3).tolist(), sum=float(trav(s.x) @ trav(s.x))))

# ---- Helmert with weights: seven parameters by minimising the weighted sum directly
src = targets; scale, rot, shift = 1.00031, Rotation.from_euler("zyx", [.7, .02, -.03]), np.array([100., 50., 10.])
dst = scale * rot.apply(src) + shift + rng.normal(size=src.shape) * .002; sw = rng.uniform(.001, .004, src.shape)
def helm(x): return ((dst - (np.exp(x[6]) * Rotation.from_rotvec(x[3:6]).apply(rot.apply(src)) + shift + x[:3])) / sw).ravel()
s = least_squares(helm, np.zeros(7), xtol=1e-15, ftol=1e-15, gtol=1e-15); J = numeric_jacobian(helm, s.x); Q = np.linalg.inv(J.T @ J)
out["helmert"] = dict(source=src.tolist(), destination=dst.tolist(), sigma=sw.tolist(), expected=dict(scale=float(np.exp(s.x[6])), scale_sigma=float(np.sqrt(Q[6, 6])), sum=float(helm(s.x) @ helm(s.x)),
    points=(np.exp(s.x[6]) * Rotation.from_rotvec(s.x[3:6]).apply(rot.apply(src)) + shift + s.x[:3]).tolist()))
print(json.dumps(out, indent=1))
