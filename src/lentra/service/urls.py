"""All addresses: the API, health, and the console for everything else."""

from django.urls import include, path, re_path

from lentra.api.views.public_space import geofeed_file
from lentra.service import metrics, sign_on, views
from lentra.signing_on.configured import ANSWER, BEGIN

urlpatterns = [
    path("api/", include("lentra.api.urls")),
    path("geofeed.csv", geofeed_file),
    path("rdap/", include("lentra.api.rdap_urls")),
    path("healthz", views.healthz),
    path("readyz", views.readyz),
    path("metrics", metrics.metrics),
    path(BEGIN[1:], sign_on.begin),
    path(ANSWER[1:], sign_on.answer),
    re_path(r"^(api|rdap|\.well-known)(/[\s\S]*)?$", views.no_such_call),
    re_path(r"^(?P<address>[\s\S]*)$", views.console),
]
handler400 = "lentra.service.views.malformed"
handler404 = "lentra.service.views.nothing_there"
handler500 = "lentra.service.views.failed"
