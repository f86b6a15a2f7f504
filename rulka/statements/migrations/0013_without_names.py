"""The names that nothing reads any more go."""

import django.db.models.deletion
import django.db.models.manager
from django.db import migrations, models

TO = "statements.definition"
CASCADE = django.db.models.deletion.CASCADE


class Migration(migrations.Migration):
    dependencies = [("statements", "0012_from_names_to_ids")]
    operations = [
        migrations.RemoveConstraint("explanation", "one_explanation_a_variance"),
        migrations.RemoveIndex("edit", "edits_of_statement"),
        migrations.RemoveIndex("change", "changes_of_definition"),
        *[migrations.RemoveField(model, "statement") for model in ("edit", "savedversion", "edition", "explanation")],
        migrations.RemoveField("change", "kind"),
        migrations.RemoveField("change", "name"),
        migrations.RemoveField("savedversion", "bodies"),
        migrations.RemoveField("edition", "shelf"),
        *[
            migrations.RenameField(model, "of", "statement")
            for model in ("edit", "savedversion", "edition", "explanation")
        ],
        migrations.AlterField(
            "edit", "statement", models.ForeignKey(TO, null=True, on_delete=CASCADE, related_name="edits")
        ),
        *[
            migrations.AlterField(model, "statement", models.ForeignKey(TO, on_delete=CASCADE, related_name=named))
            for model, named in (
                ("savedversion", "saved_versions"),
                ("edition", "editions"),
                ("explanation", "explanations"),
            )
        ],
        migrations.AlterField(
            "change", "definition", models.ForeignKey(TO, on_delete=CASCADE, related_name="changes")
        ),
        migrations.AlterField("savedversion", "states", models.JSONField()),
        migrations.AddIndex("edit", models.Index(fields=["statement", "-id"], name="edits_of_statement")),
        migrations.AddIndex("change", models.Index(fields=["definition", "-id"], name="changes_of_definition")),
        migrations.AddConstraint(
            "explanation",
            models.UniqueConstraint(
                fields=["ledger", "statement", "node", "period", "line", "column", "fence"],
                name="one_explanation_a_variance",
            ),
        ),
        migrations.AlterModelOptions("definition", {"base_manager_name": "every", "ordering": ["pk"]}),
        migrations.AlterModelManagers(
            "definition",
            [("objects", django.db.models.manager.Manager()), ("every", django.db.models.manager.Manager())],
        ),
    ]
