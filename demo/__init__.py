"""Hobbin Delph, the demo level: a made-up slate quarry and its stock, all by code."""
