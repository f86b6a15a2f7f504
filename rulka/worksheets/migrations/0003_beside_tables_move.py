"""Tables beside the ledger stand in one place, the ledger's, whoever reads them."""

from typing import Any

from django.db import migrations


def move(apps: Any, schema_editor: Any) -> None:
    beside, side = apps.get_model("worksheets", "BesideTable"), apps.get_model("ledger", "SideTable")
    for table in beside.objects.all():
        side.objects.update_or_create(
            ledger_id=table.ledger_id, name=table.name, defaults={"columns": table.columns, "rows": table.rows}
        )


class Migration(migrations.Migration):
    dependencies = [("worksheets", "0002_second_part"), ("ledger", "0009_feed_owner")]

    operations = [
        migrations.RunPython(move, migrations.RunPython.noop),
        migrations.DeleteModel(name="BesideTable"),
    ]
