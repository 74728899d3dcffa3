"""What a notebook does with the core: read, find the cheapest fit, check it, tell the downtime of what users do over it."""

from decimal import Decimal

from rombel import (
    FailureData,
    Journey,
    World,
    budget_minutes,
    cheapest_fit,
    check,
    read_chain,
    read_demand_csv,
    read_problem,
)

PROBLEM = """{"format": "rombel-fit-problem/1", "currency": "EUR", "zones": ["amber", "birch"], "resources": ["cpu_millicores", "pods"],
  "instance_types": [{"name": "tern-4", "allocatable": {"cpu_millicores": 3900, "pods": 110}, "offers": [
    {"zone": "amber", "purchase": "on-demand", "price_per_hour": "0.1840"},
    {"zone": "birch", "purchase": "on-demand", "price_per_hour": "0.1850"}]}],
  "workloads": [{"name": "shop/web", "replicas": 4, "request": {"cpu_millicores": 900}, "zone_skew": 1}], "survive": {"zone": "landing"}}"""
DEMAND = "namespace,name,replicas,cpu,memory\nshop,web,4,900m,1Gi\n"


def main() -> str:
    """Return the cost an hour and the downtime a month."""
    problem = read_problem(PROBLEM)
    solution = cheapest_fit(problem)
    report = check(problem, solution)
    buy = Journey("buy", Decimal("99.9"), read_chain("shop/web"))
    world = World(read_demand_csv(DEMAND).rows, FailureData(), (), [buy])
    unavailability, _ = world.evaluation(problem, solution).unavailability_of(buy)
    holds = "holds" if report.holds else "is broken"
    return f"It {holds}: {solution.cost_per_hour} {solution.currency} an hour, {budget_minutes(unavailability):.2f} minutes of downtime a month"


if __name__ == "__main__":
    print(main())  # noqa: T201
