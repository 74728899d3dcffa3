"""``manage.py bench_builds``: measure what is handed over, change lists, looks at builds and comparisons with what runs."""

from runs.management.commands import bench_studies


class Command(bench_studies.Command):
    """Measure, and take everything back that was made for it."""

    help = "Measure the bundle of a large plan, ten builds of a thousand parts and a listing of five thousand pods."
    module = "demo.bench_builds"
