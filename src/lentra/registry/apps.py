"""The Django application that holds the registry's records."""

from django.apps import AppConfig


class RegistryConfig(AppConfig):
    name = "lentra.registry"
    label = "registry"
    default_auto_field = "django.db.models.BigAutoField"
