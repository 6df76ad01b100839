import django.db.models.deletion
from django.conf import settings
from django.db import migrations, models


class Migration(migrations.Migration):
    dependencies = [
        migrations.swappable_dependency(settings.AUTH_USER_MODEL),
        ("accounts", "0002_cache_table"),
    ]
    operations = [
        migrations.RenameModel("OwnKeys", "Profile"),
        migrations.AlterField(
            "profile",
            "user",
            models.OneToOneField(
                on_delete=django.db.models.deletion.CASCADE,
                related_name="profile",
                to=settings.AUTH_USER_MODEL,
            ),
        ),
        migrations.AddField(
            "profile",
            "mark",
            models.CharField(
                choices=[
                    ("diamond", "Diamond"),
                    ("disc", "Disc"),
                    ("square", "Square"),
                    ("triangle", "Triangle"),
                    ("ring", "Ring"),
                    ("cross", "Cross"),
                    ("bar", "Bar"),
                    ("star", "Star"),
                ],
                default="diamond",
                max_length=10,
            ),
        ),
    ]
