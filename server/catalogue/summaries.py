"""What the list of levels says of each: plants, views over budget, a small plan; made by the worker, kept,
and made again when the level has changed since."""

from __future__ import annotations

from django.contrib.auth.models import User
from django.db.models import Max

from server.catalogue import plan
from server.jobs import starting
from server.jobs.models import Job
from server.jobs.running import Progress, work
from server.levels.models import Level, LevelSummary
from server.sight.costing import bookmark_view, drawing_of, level_cost, over
from server.stands.access import planting_of, stands_of


def summary_of(level: Level, user: User) -> dict:
    """The level's summary as it is kept: plants (None when it was never made), views over budget, the plan's
    address, and whether it is of the level as it is now; when it is not, the worker is asked to make it
    again, unless it has tried: then `trouble` says what was in the way."""
    kept = LevelSummary.objects.filter(level=level).defer("plan").first()
    stamp, changed = str(level.version), level.entries.aggregate(at=Max("touched"))["at"]
    fresh = kept is not None and kept.stamp == stamp
    last = None if fresh else starting.newest(_key(level))
    trouble = _trouble(last) if last and last.arguments.get("stamp") == stamp else ""
    if not (fresh or trouble or (last and last.busy)):
        make(level, user)
    found = {"fresh": fresh, "changed": changed, "trouble": trouble}
    if kept is None:
        return found | {"plants": None, "over": [], "plan": ""}
    address = f"/api/levels/{level.slug}/plan/{kept.pk}.{kept.made}.png"
    return found | {"plants": kept.plants, "over": kept.over, "plan": address}


def make(level: Level, user: User) -> None:
    """Have the worker make a level's summary again."""
    starting.start("summarise", _key(level), user, level, stamp=str(level.version))


def _trouble(job: Job) -> str:
    """Why counting the level as it is now has ended without a result; it is not begun again by itself."""
    if job.state == Job.State.STOPPED:
        return "Counting was stopped."
    return job.trouble if job.state == Job.State.FAILED else ""


def _key(level: Level) -> str:
    return f"summary {level.pk}"


@work("summarise")
def _summarise(job: Job, progress: Progress) -> None:
    level = job.level
    stamp, plantings = str(level.version), [planting_of(stand) for stand in stands_of(level)]
    plants = 0
    for k, planting in enumerate(plantings):
        progress.report(k / (len(plantings) + 1), f"Counting {planting.stand.name}")
        plants += planting.count()
    worst = []
    for bookmark in level.bookmarks:
        looks = {name: bookmark_view(bookmark, *drawing_of(level, name)) for name in level.tiers}
        tiers = [n for n, view in looks.items() if over(level.tiers[n]["marks"], level_cost(level, view))]
        if tiers:
            worst.append(f"{bookmark['name']} on {', '.join(tiers)}")
    picture = plan.plan_png(level, plantings)
    made = LevelSummary.objects.filter(level=level).values_list("made", flat=True).first() or 0
    LevelSummary.objects.update_or_create(
        level=level,
        defaults={"stamp": stamp, "plants": plants, "over": worst, "plan": picture, "made": made + 1},
    )
