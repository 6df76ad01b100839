"""What was worked out of sight and cost, kept under the digest of all that it follows from."""

from __future__ import annotations

from django.db import models

from server.levels.models import Level


class WalkCheck(models.Model):
    """What pops on a walk, under the digest of all that it follows from: see `server.sight.walks`."""

    level = models.ForeignKey(Level, on_delete=models.CASCADE, related_name="walk_checks")
    content = models.CharField(max_length=64)
    result = models.JSONField()

    class Meta:
        db_table = "levels_walkcheck"
        constraints = [models.UniqueConstraint(fields=["level", "content"], name="one_check_of_a_walk")]


class LevelSurvey(models.Model):
    """What frames cost all over a level, under the digest of all that it follows from: see
    `server.sight.surveys`."""

    level = models.ForeignKey(Level, on_delete=models.CASCADE, related_name="surveys")
    content = models.CharField(max_length=64)
    asked = models.CharField(max_length=64, help_text="digest of what was asked for, whatever the level was")
    drawing = models.JSONField(default=dict, help_text="how the level was drawn")
    device = models.JSONField(default=dict, help_text="the device that its milliseconds were told for")
    data = models.BinaryField(help_text="NPZ: the survey's grid and its loads by stand")

    class Meta:
        db_table = "levels_levelsurvey"
        constraints = [models.UniqueConstraint(fields=["level", "content"], name="one_survey")]


class SurveyPoint(models.Model):
    """What a level's worst frame cost when it was surveyed, for the history of its cost."""

    level = models.ForeignKey(Level, on_delete=models.CASCADE, related_name="survey_points")
    asked = models.CharField(max_length=64, help_text="as of a survey")
    at = models.DateTimeField(auto_now_add=True)
    entry = models.PositiveBigIntegerField(help_text="id of the last action before it")
    worst = models.JSONField(help_text="by budget line, ms of the device that was looked through")

    class Meta:
        db_table = "levels_surveypoint"
        indexes = [models.Index(fields=["level", "asked", "-id"])]


class RebalanceAnswer(models.Model):
    """A level brought under its marks, under the digest of all that it follows from: see
    `server.sight.rebalances`."""

    level = models.ForeignKey(Level, on_delete=models.CASCADE, related_name="rebalances")
    content = models.CharField(max_length=64)
    result = models.JSONField()

    class Meta:
        db_table = "levels_rebalanceanswer"
        constraints = [models.UniqueConstraint(fields=["level", "content"], name="one_rebalance")]
