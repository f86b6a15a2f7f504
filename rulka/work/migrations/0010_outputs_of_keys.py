"""Files that are made in the background name their statement by its key too: it may be called something else then."""

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
    output = apps.get_model("work", "Output")
    for one in output.objects.using(here).all():
        one.of_definition = keys.get((one.ledger, one.statement), 0)
        one.save(using=here, update_fields=["of_definition"])


class Migration(migrations.Migration):
    dependencies = [("work", "0009_forms_of_files")]
    operations = [
        migrations.AddField(
            "output", "of_definition", models.IntegerField(default=0, help_text="The key of its statement")
        ),
        migrations.AlterField(
            "output",
            "statement",
            models.CharField(max_length=80, help_text="What its statement was called when it was asked for"),
        ),
        migrations.RunPython(take_over, migrations.RunPython.noop),
    ]
