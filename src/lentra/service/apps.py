"""The Django application that starts and serves."""

from django.apps import AppConfig


class ServiceConfig(AppConfig):
    name = "lentra.service"
    label = "service"
