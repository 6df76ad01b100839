from django.apps import AppConfig


class StockConfig(AppConfig):
    name = "server.stock"
    label = "stock"
