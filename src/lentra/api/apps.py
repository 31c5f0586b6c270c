"""The Django application of the API."""

from django.apps import AppConfig


class ApiConfig(AppConfig):
    name = "lentra.api"
    label = "api"
