"""What became of a rebuild is named by its key."""

from django.db import connections, migrations, models


def take_over(apps, schema_editor):
    former, here = connections["default"], schema_editor.connection.alias
    if here == former.alias or "statements_definition" not in former.introspection.table_names():
        return
    with former.cursor() as cursor:
        cursor.execute(
            "SELECT l.code, d.name, d.id FROM statements_definition d JOIN ledger_ledger l ON l.id = d.ledger_id"
            " WHERE d.kind = 'statement'"
        )
        keys = {(ledger, name): key for ledger, name, key in cursor.fetchall()}
    rebuild = apps.get_model("rebuilds", "Rebuild")
    for one in rebuild.objects.using(here).exclude(statement=""):
        one.made = keys.get((one.ledger, one.statement), 0)
        one.save(using=here, update_fields=["made"])


class Migration(migrations.Migration):
    dependencies = [("rebuilds", "0001_initial")]
    operations = [
        migrations.AddField(
            "rebuild", "made", models.IntegerField(null=True, help_text="The key of the statement that became of it")
        ),
        migrations.RunPython(take_over, migrations.RunPython.noop, hints={"model_name": "rebuild"}),
        migrations.RemoveField("rebuild", "statement"),
    ]
