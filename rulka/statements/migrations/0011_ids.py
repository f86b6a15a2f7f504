"""Definitions are named by their keys: places for them, beside the names as yet."""

import django.db.models.deletion
import django.db.models.manager
from django.db import migrations, models

TO = "statements.definition"


def key(**values):
    return models.ForeignKey(TO, null=True, on_delete=django.db.models.deletion.CASCADE, related_name="+", **values)


class Migration(migrations.Migration):
    dependencies = [("statements", "0010_templates")]
    operations = [
        migrations.AlterField("definition", "body", models.JSONField(null=True)),
        *[
            migrations.AddField(
                "definition",
                name,
                models.ForeignKey(
                    TO, null=True, on_delete=django.db.models.deletion.RESTRICT, related_name="+"
                ),
            )
            for name in ("spine", "span", "scope")
        ],
        migrations.AddField(
            "definition",
            "owner",
            models.ForeignKey(
                TO,
                null=True,
                on_delete=django.db.models.deletion.SET_NULL,
                related_name="own",
                help_text="The statement it was made for",
            ),
        ),
        *[migrations.AddField(model, "of", key()) for model in ("edit", "savedversion", "edition", "explanation")],
        migrations.AddField("change", "definition", key()),
        migrations.AddField("savedversion", "states", models.JSONField(default=list)),
    ]
