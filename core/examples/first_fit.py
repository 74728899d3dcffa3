"""Two workloads on one instance type over two zones, as a program: prints the nodes of the cheapest fit."""

from rombel import cheapest_fit, read_problem

PROBLEM = """{
  "format": "rombel-fit-problem/1", "currency": "EUR", "zones": ["amber", "birch"], "resources": ["cpu_millicores", "pods"],
  "instance_types": [{"name": "tern-4", "allocatable": {"cpu_millicores": 3900, "pods": 110}, "offers": [
    {"zone": "amber", "purchase": "on-demand", "price_per_hour": "0.1840"},
    {"zone": "birch", "purchase": "on-demand", "price_per_hour": "0.1850"}]}],
  "workloads": [{"name": "shop/api", "replicas": 4, "request": {"cpu_millicores": 900}, "zone_skew": 0},
                {"name": "shop/jobs", "replicas": 2, "request": {"cpu_millicores": 1500}}]
}"""


def main() -> str:
    """Return the answer in a line for each group of nodes."""
    solution = cheapest_fit(read_problem(PROBLEM))
    lines = [
        f"{group.count} x {group.instance_type} in {group.zone}: {dict(group.replicas)}" for group in solution.nodes
    ]
    return "\n".join([f"{solution.status}: {solution.cost_per_hour} {solution.currency} an hour", *lines])


if __name__ == "__main__":
    print(main())  # noqa: T201
