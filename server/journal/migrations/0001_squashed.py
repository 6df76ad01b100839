import django.db.models.deletion
import server.journal.models
from django.conf import settings
from django.db import migrations, models


class Migration(migrations.Migration):

    initial = True

    replaces = [
        ("journal", "0001_initial"),
        ("journal", "0002_alter_entry_kind"),
        ("journal", "0003_stands"),
        ("journal", "0004_alter_entry_kind"),
        ("journal", "0005_alter_entry_kind"),
        ("journal", "0006_wind"),
        ("journal", "0007_entry_fingerprint"),
        ("journal", "0008_entry_journal_ent_level_i_6057ce_idx"),
        ("journal", "0009_alter_entry_kind"),
        ("journal", "0010_alter_entry_kind"),
        ("journal", "0011_alter_entry_kind"),
        ("journal", "0012_atmosphere"),
        ("journal", "0013_tiers"),
        ("journal", "0014_entry_plot_alter_entry_kind"),
        ("journal", "0015_entry_worst"),
        ("journal", "0016_edits"),
        ("journal", "0017_settings_as_edits"),
        ("journal", "0018_masks_as_edits"),
        ("journal", "0019_stands_and_groups"),
        ("journal", "0020_all_as_edits"),
        ("journal", "0021_edits_alone"),
        ("journal", "0022_worst_by_worker"),
    ]

    dependencies = [
        ('levels', '0001_squashed'),
        migrations.swappable_dependency(settings.AUTH_USER_MODEL),
    ]

    operations = [
        migrations.CreateModel(
            name='Entry',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('stands', models.JSONField(default=list, help_text='numbers of the stands that it is about')),
                ('kind', models.CharField(help_text='of its edit; of the first of several', max_length=20)),
                ('at', models.DateTimeField(auto_now_add=True)),
                ('touched', models.DateTimeField(auto_now=True, help_text='when it was last done or undone')),
                ('key', models.UUIDField(help_text='given by the client, so that a request sent twice counts once', unique=True)),
                ('fingerprint', models.CharField(blank=True, default=server.journal.models.fingerprint_of_action, max_length=32)),
                ('what', models.CharField(max_length=200)),
                ('change', models.JSONField(default=dict)),
                ('gained', models.IntegerField(default=0)),
                ('lost', models.IntegerField(default=0)),
                ('cost', models.JSONField(default=dict, help_text='difference in the view it was done from')),
                ('worst', models.JSONField(help_text='ms more in the dearest view that it reaches, and where that is; null until it is known', null=True)),
                ('plot', models.CharField(blank=True, help_text='the plot that it was done in', max_length=80)),
                ('undone', models.BooleanField(default=False)),
                ('group', models.CharField(blank=True, help_text='entries that are undone together', max_length=120)),
                ('level', models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, related_name='entries', to='levels.level')),
                ('user', models.ForeignKey(on_delete=django.db.models.deletion.PROTECT, related_name='+', to=settings.AUTH_USER_MODEL)),
            ],
            options={
                'ordering': ['-id'],
                'indexes': [models.Index(fields=['group'], name='journal_ent_group_549f31_idx'), models.Index(fields=['level', 'user', 'undone'], name='journal_ent_level_i_8f871c_idx'), models.Index(fields=['level', 'touched'], name='journal_ent_level_i_6057ce_idx')],
            },
        ),
    ]
