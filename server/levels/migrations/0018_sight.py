"""What was worked out of sight and cost belongs to the app of that name; its tables stay."""

from django.db import migrations, models


class Migration(migrations.Migration):
    dependencies = [("levels", "0017_version")]

    operations = [
        migrations.SeparateDatabaseAndState(
            state_operations=[
                migrations.DeleteModel(name)
                for name in ("WalkCheck", "LevelSurvey", "SurveyPoint", "RebalanceAnswer")
            ]
        ),
        migrations.AlterField(
            model_name='level',
            name='wind',
            field=models.JSONField(default=dict, help_text='see thicket.document.views.WindSettings'),
        ),
    ]
