"""The queue stands beside progress and sessions, where no load ever locks it; what waited elsewhere comes along.

Tasks that wait name the function that does them: these moved into rooms of their own.
"""

from django.db import connections, migrations

MOVED = {
    "rulka.ledger.tasks.run_load": "rulka.ledger.feeds.tasks.run_load",
    "rulka.statements.tasks.make_output": "rulka.statements.output.tasks.make_output",
}


def take_over(apps, schema_editor):
    model = apps.get_model("django_tasks_database", "DBTaskResult")
    here, table = schema_editor.connection, model._meta.db_table
    if table not in here.introspection.table_names():
        schema_editor.create_model(model)
    former = connections["default"]
    if here.alias != former.alias and table in former.introspection.table_names():
        model.objects.using(here.alias).bulk_create(model.objects.using(former.alias).all(), ignore_conflicts=True)
        model.objects.using(former.alias).all().delete()
    rename(model.objects.using(here.alias), MOVED)


def give_back(apps, schema_editor):
    model = apps.get_model("django_tasks_database", "DBTaskResult")
    rename(model.objects.using(schema_editor.connection.alias), {now: former for former, now in MOVED.items()})


def rename(results, names):
    for former, now in names.items():
        results.filter(task_path=former).update(task_path=now)


class Migration(migrations.Migration):
    dependencies = [
        ("work", "0003_output_pages"),
        ("django_tasks_database", "0021_conditional_partial_index_ordering"),
    ]
    operations = [migrations.RunPython(take_over, give_back)]
