"""Traffic is allocated by properties, one or several, with a uniform share."""

from typing import Any

from django.db import migrations


def _several(allocation: dict[str, Any] | None) -> bool:
    """Give an allocation its list of properties; whether that was to be done."""
    if allocation is None or "properties" in allocation:
        return False
    segment = allocation.pop("segment", "")
    allocation |= {"properties": [segment] if segment else [], "uniform": 0.1}
    return True


def by_properties(apps: Any, _editor: Any) -> None:
    for experiment in apps.get_model("experiments", "Experiment").objects.filter(allocation__isnull=False):
        if _several(experiment.allocation):
            experiment.save(update_fields=["allocation"])
    for row in apps.get_model("experiments", "Round").objects.filter(kept__isnull=False):
        changed = [_several(one["fields"].get("allocation")) for one in row.kept]
        if any(changed):
            row.save(update_fields=["kept"])


class Migration(migrations.Migration):
    dependencies = [("experiments", "0029_page_changes")]

    operations = [migrations.RunPython(by_properties, migrations.RunPython.noop)]
