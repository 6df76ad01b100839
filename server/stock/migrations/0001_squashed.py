import django.db.models.deletion
from django.conf import settings
from django.db import migrations, models


class Migration(migrations.Migration):

    initial = True

    replaces = [
        ("stock", "0001_initial"),
        ("stock", "0002_stockitem_anchors"),
        ("stock", "0003_stockitem_distances_shelfitem"),
        ("stock", "0004_broughtitem"),
        ("stock", "0005_versions_and_traits"),
        ("stock", "0006_owner"),
        ("stock", "0007_groups_of_ones_own"),
        ("stock", "0008_places"),
    ]

    dependencies = [
        ('levels', '0001_squashed'),
        migrations.swappable_dependency(settings.AUTH_USER_MODEL),
    ]

    operations = [
        migrations.CreateModel(
            name='BroughtItem',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('name', models.CharField(max_length=80)),
                ('height', models.FloatField()),
                ('crown', models.FloatField()),
                ('trunk', models.FloatField()),
                ('anchors', models.JSONField(default=list, help_text='name, place and up-direction of each anchor point in the mesh')),
                ('glb', models.BinaryField()),
                ('silhouette', models.BinaryField(help_text='PNG: the item from the side, for lists')),
                ('distances', models.JSONField(default=dict, help_text='m: nearest at which each coarser state is seen to differ by 2 pixels; `lods`, a list, and `billboard`')),
                ('traits', models.JSONField(default=dict, help_text='see thicket.stock.traits.Traits')),
                ('picture', models.BinaryField(default=bytes, help_text='PNG: the item lit, from a little above, at `scale` pixels a metre')),
                ('scale', models.FloatField(default=1, help_text='pixels of the picture to a metre')),
                ('states', models.JSONField(default=list, help_text='of each LOD, then the billboard: see thicket.stock.making.states_of')),
                ('texture_bytes', models.PositiveIntegerField(default=0)),
                ('findings', models.JSONField(default=list, help_text='what is wrong or dear: text, and what mends it')),
                ('batch', models.UUIDField(db_index=True)),
                ('paths', models.JSONField(help_text='of its mesh files, its LODs in order')),
                ('unit', models.CharField(blank=True, max_length=4)),
                ('notes', models.JSONField(default=list)),
                ('refused', models.CharField(blank=True, help_text='why it could not be read', max_length=500)),
                ('at', models.DateTimeField(auto_now_add=True)),
                ('user', models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, related_name='+', to=settings.AUTH_USER_MODEL)),
            ],
            options={
                'ordering': ['id'],
            },
        ),
        migrations.CreateModel(
            name='ShelfItem',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('name', models.CharField(max_length=80)),
                ('height', models.FloatField()),
                ('crown', models.FloatField()),
                ('trunk', models.FloatField()),
                ('anchors', models.JSONField(default=list, help_text='name, place and up-direction of each anchor point in the mesh')),
                ('glb', models.BinaryField()),
                ('silhouette', models.BinaryField(help_text='PNG: the item from the side, for lists')),
                ('distances', models.JSONField(default=dict, help_text='m: nearest at which each coarser state is seen to differ by 2 pixels; `lods`, a list, and `billboard`')),
                ('traits', models.JSONField(default=dict, help_text='see thicket.stock.traits.Traits')),
                ('picture', models.BinaryField(default=bytes, help_text='PNG: the item lit, from a little above, at `scale` pixels a metre')),
                ('scale', models.FloatField(default=1, help_text='pixels of the picture to a metre')),
                ('states', models.JSONField(default=list, help_text='of each LOD, then the billboard: see thicket.stock.making.states_of')),
                ('texture_bytes', models.PositiveIntegerField(default=0)),
                ('findings', models.JSONField(default=list, help_text='what is wrong or dear: text, and what mends it')),
                ('slug', models.SlugField(max_length=60, unique=True)),
                ('group', models.CharField(max_length=40)),
                ('tags', models.JSONField(default=list)),
                ('note', models.CharField(blank=True, help_text='where it came from, and its licence', max_length=300)),
                ('revision', models.PositiveIntegerField(default=1, help_text='the version of its file that is in use')),
                ('gone', models.BooleanField(default=False, help_text='taken off the shelf; it can be put back')),
                ('at', models.DateTimeField(auto_now=True)),
                ('by', models.ForeignKey(help_text='who made the version in use', null=True, on_delete=django.db.models.deletion.SET_NULL, related_name='+', to=settings.AUTH_USER_MODEL)),
                ('owner', models.ForeignKey(help_text='who put it on the shelf', null=True, on_delete=django.db.models.deletion.SET_NULL, related_name='+', to=settings.AUTH_USER_MODEL)),
            ],
            options={
                'ordering': ['name'],
            },
        ),
        migrations.CreateModel(
            name='ShelfVersion',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('name', models.CharField(max_length=80)),
                ('height', models.FloatField()),
                ('crown', models.FloatField()),
                ('trunk', models.FloatField()),
                ('anchors', models.JSONField(default=list, help_text='name, place and up-direction of each anchor point in the mesh')),
                ('glb', models.BinaryField()),
                ('silhouette', models.BinaryField(help_text='PNG: the item from the side, for lists')),
                ('distances', models.JSONField(default=dict, help_text='m: nearest at which each coarser state is seen to differ by 2 pixels; `lods`, a list, and `billboard`')),
                ('traits', models.JSONField(default=dict, help_text='see thicket.stock.traits.Traits')),
                ('picture', models.BinaryField(default=bytes, help_text='PNG: the item lit, from a little above, at `scale` pixels a metre')),
                ('scale', models.FloatField(default=1, help_text='pixels of the picture to a metre')),
                ('states', models.JSONField(default=list, help_text='of each LOD, then the billboard: see thicket.stock.making.states_of')),
                ('texture_bytes', models.PositiveIntegerField(default=0)),
                ('findings', models.JSONField(default=list, help_text='what is wrong or dear: text, and what mends it')),
                ('revision', models.PositiveIntegerField()),
                ('what', models.CharField(help_text='what made it', max_length=200)),
                ('at', models.DateTimeField(auto_now_add=True)),
                ('by', models.ForeignKey(null=True, on_delete=django.db.models.deletion.SET_NULL, related_name='+', to=settings.AUTH_USER_MODEL)),
                ('item', models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, related_name='versions', to='stock.shelfitem')),
            ],
            options={
                'ordering': ['-revision'],
                'constraints': [models.UniqueConstraint(fields=('item', 'revision'), name='one_version_per_revision')],
            },
        ),
        migrations.CreateModel(
            name='StockItem',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('name', models.CharField(max_length=80)),
                ('height', models.FloatField()),
                ('crown', models.FloatField()),
                ('trunk', models.FloatField()),
                ('anchors', models.JSONField(default=list, help_text='name, place and up-direction of each anchor point in the mesh')),
                ('glb', models.BinaryField()),
                ('silhouette', models.BinaryField(help_text='PNG: the item from the side, for lists')),
                ('distances', models.JSONField(default=dict, help_text='m: nearest at which each coarser state is seen to differ by 2 pixels; `lods`, a list, and `billboard`')),
                ('traits', models.JSONField(default=dict, help_text='see thicket.stock.traits.Traits')),
                ('slug', models.SlugField(max_length=60)),
                ('revision', models.PositiveIntegerField(default=1)),
                ('place', models.PositiveSmallIntegerField(default=0, help_text="its place in the level's stock")),
                ('held', models.BooleanField(default=False, help_text="whether it stays as it is when the shelf's item is replaced")),
                ('level', models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, related_name='stock', to='levels.level')),
            ],
            options={
                'ordering': ['place', 'id'],
                'constraints': [models.UniqueConstraint(fields=('level', 'slug'), name='one_item_per_slug')],
            },
        ),
    ]
