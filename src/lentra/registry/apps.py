"""The Django application that holds the registry's records."""

from django.apps import AppConfig


class RegistryConfig(AppConfig):
    name = "lentra.registry"
    label = "registry"
    default_auto_field = "django.db.models.BigAutoField"

    def ready(self) -> None:
        """Have what follows from subnets kept with each change, tenures, and the revision of the set-up."""
        from lentra.registry.lookup.kept import move_on
        from lentra.registry.space import keeping, tenures
        from lentra.registry.transactions.run import before_commit

        before_commit += [keeping.settle, tenures.settle, move_on]
