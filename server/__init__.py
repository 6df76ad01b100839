"""The web application: Django settings, models and a typed API over the core."""
