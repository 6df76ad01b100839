"""The core of Knee Thicket: pure functions on arrays, without web or database."""
