"""The Django application of the service."""

from django.apps import AppConfig


class ServiceConfig(AppConfig):
    name = "lentra.service"
    label = "service"

    def ready(self) -> None:
        from lentra.registry.transactions.run import on_retry
        from lentra.service.metrics import count_retry

        on_retry.append(count_retry)
