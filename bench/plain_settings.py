"""The service's settings, with the bare endpoint beside its own."""

from lentra.service.settings import *  # noqa: F403

ROOT_URLCONF = "bench.plain"
