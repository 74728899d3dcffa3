from django.db import migrations

NAMES = {
    "mend": "fix", "mends": "suffices", "obstacles": "unreachable", "toll": "cost_of_change", "things": "failures",
    "away": "downtime",
}
"""Fields of stored questions and answers, as they were called and as they are."""

OF_A_QUESTION = {
    "frontier": {"place": "index"},
    "sizing": {"ways_out": "remedies"},
    "conflict": {"ways_out": "to_drop"},
    "regions": {"ways": "plans"},
    "promises": {"standing": "status"},
}


BY_NAME = {"away", "downtime", "sizes", "journeys", "points", "replicas"}
"""What these hold is named by people, as a journey is, and people's names stay."""


def renamed(value, names, of_people=False):
    """Return a JSON value with its fields renamed, at every depth."""
    if isinstance(value, list):
        return [renamed(entry, names) for entry in value]
    if isinstance(value, dict):
        return {
            key if of_people else names.get(key, key): renamed(entry, names, key in BY_NAME and not of_people)
            for key, entry in value.items()
        }
    return value


def rename(apps, _, back=False):
    """Give every stored question and answer the names of today, or those of before."""
    for row in apps.get_model("runs", "Inquiry").objects.iterator():
        names = {**NAMES, **OF_A_QUESTION.get(row.question, {})}
        if back:
            names = {new: old for old, new in names.items()}
        row.given, row.answer = renamed(row.given, names), renamed(row.answer, names)
        row.save(update_fields=["given", "answer"])


class Migration(migrations.Migration):
    dependencies = [("runs", "0010_jobs")]

    operations = [migrations.RunPython(rename, lambda apps, schema: rename(apps, schema, back=True))]
