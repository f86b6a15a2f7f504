"""Tasks that wait name the function that does them: these moved into rooms of their own."""

from django.db import migrations

MOVED = {
    "rulka.ledger.tasks.run_load": "rulka.ledger.feeds.tasks.run_load",
    "rulka.statements.tasks.make_output": "rulka.statements.output.tasks.make_output",
}


def rename(apps, schema_editor, names):
    results = apps.get_model("django_tasks_db", "DBTaskResult").objects.using(schema_editor.connection.alias)
    for former, now in names.items():
        results.filter(task_path=former).update(task_path=now)


def forwards(apps, schema_editor):
    rename(apps, schema_editor, MOVED)


def backwards(apps, schema_editor):
    rename(apps, schema_editor, {now: former for former, now in MOVED.items()})


class Migration(migrations.Migration):
    dependencies = [
        ("work", "0003_output_pages"),
        ("django_tasks_db", "0021_conditional_partial_index_ordering"),
    ]
    operations = [migrations.RunPython(forwards, backwards)]
