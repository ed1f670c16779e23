"""The order of stations by a public solver (package ortools): CP-SAT with a proof for small plans, with the rule that each
station is tied to one before it; guided local search for large ones. Reads plans.json in the folder given; prints what it took
and how far ours is from it."""
import json, sys, time
from ortools.sat.python import cp_model
from ortools.constraint_solver import pywrapcp, routing_enums_pb2


def exact(plan):
    walk, ties = plan["walk"], plan["ties"]
    n = len(ties)
    m = cp_model.CpModel()
    arcs, cost = [], []
    at = [m.new_int_var(1, n, f"at{k}") for k in range(n)]
    for a in range(n + 1):
        for b in range(n + 1):
            if a == b:
                continue
            lit = m.new_bool_var(f"{a}-{b}")
            arcs.append((a, b, lit))
            cost.append(round(1000 * walk[a][b]) * lit)
            if a == 0:
                m.add(at[b - 1] == 1).only_enforce_if(lit)
            elif b > 0:
                m.add(at[b - 1] == at[a - 1] + 1).only_enforce_if(lit)
    m.add_circuit(arcs)
    for k in range(n):
        first = m.new_bool_var("")
        m.add(at[k] == 1).only_enforce_if(first)
        before = []
        for t in ties[k]:
            b = m.new_bool_var("")
            m.add(at[t] < at[k]).only_enforce_if(b)
            before.append(b)
        m.add_bool_or(before + [first])
    m.minimize(sum(cost))
    solver = cp_model.CpSolver()
    solver.parameters.max_time_in_seconds = 120
    status = solver.solve(m)
    if status not in (cp_model.OPTIMAL, cp_model.FEASIBLE):
        return None, False
    return solver.objective_value / 1000, status == cp_model.OPTIMAL


def search(plan, seconds):
    walk = plan["walk"]
    manager = pywrapcp.RoutingIndexManager(len(walk), 1, 0)
    routing = pywrapcp.RoutingModel(manager)
    far = lambda i, j: round(1000 * walk[manager.IndexToNode(i)][manager.IndexToNode(j)])
    routing.SetArcCostEvaluatorOfAllVehicles(routing.RegisterTransitCallback(far))
    p = pywrapcp.DefaultRoutingSearchParameters()
    p.first_solution_strategy = routing_enums_pb2.FirstSolutionStrategy.PATH_CHEAPEST_ARC
    p.local_search_metaheuristic = routing_enums_pb2.LocalSearchMetaheuristic.GUIDED_LOCAL_SEARCH
    p.time_limit.seconds = seconds
    return routing.SolveWithParameters(p).ObjectiveValue() / 1000


for plan in json.load(open(f"{sys.argv[1]}/plans.json")):
    n, ours = len(plan["ties"]), plan["ours"]
    t = time.time()
    if plan["exact"]:
        best, proven = exact(plan)
        if best is None:
            print(f"  {n} stations: no order ties every station (ours leaves {plan['loose']})")
            continue
        what = "proven least" if proven else "best found"
    else:
        best, what = search(plan, 10), "guided local search"
    print(f"  {n} stations: {what} {best:.1f} m in {time.time() - t:.1f} s; ours is {100 * (ours / best - 1):+.1f} %")
