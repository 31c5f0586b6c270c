"""All addresses: the API, health, and the console for everything else."""

from django.urls import include, path, re_path

from lentra.service import metrics, views

urlpatterns = [
    path("api/", include("lentra.api.urls")),
    path("healthz", views.healthz),
    path("readyz", views.readyz),
    path("metrics", metrics.metrics),
    re_path(r"^api(/.*)?$", views.no_such_call),
    re_path(r"^(?P<address>.*)$", views.console),
]
