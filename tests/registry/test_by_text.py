"""Subnets found by a text: by their words and by parts of their names, alike where few have it and where very many do."""

import pytest


@pytest.fixture(params=["gathered", "in order"])
def found(request, monkeypatch):
    """Names of the subnets that a text fits, in both ways of finding them."""
    from lentra.registry.lookup import by_text
    from lentra.registry.models import Subnet

    if request.param == "in order":
        monkeypatch.setattr(by_text, "_MOST", 0)
    return lambda text, pool: set(
        Subnet.objects.filter(by_text.speaking_of(text), pool=pool).values_list("name", flat=True)
    )


@pytest.fixture
def lamps(world):
    pool = world.pool("10.52.0.0/20")
    world.ask(pool, length=28, name="lamp-room", purpose="Relay of the Östra pier", notes="BUOY-7 is wired here")
    world.ask(pool, length=28, count=12, name="lamp-{nn}")
    world.ask(pool, length=28, name="quay-under_lamp", purpose="unlamped 100%")
    return pool


@pytest.mark.parametrize(
    ("text", "expected"),
    [
        ("relay", {"lamp-room"}),
        ("RELAY", {"lamp-room"}),
        ("östra", {"lamp-room"}),
        ("ÖSTRA pier", {"lamp-room"}),
        ("pier rel", {"lamp-room"}),
        ("buoy-7", {"lamp-room"}),
        ("pier lamp", set()),  # words of one text, not of name and notes
        ("uoy", set()),  # no word begins so
        ("is", set()),
        ("unlamp", {"quay-under_lamp"}),
        ("room", {"lamp-room"}),
        ("LAMP-ROOM", {"lamp-room"}),
        ("r_l", {"quay-under_lamp"}),
        ("amp-0", {f"lamp-{n:02}" for n in range(1, 10)}),
        ("amp-1", {"lamp-10", "lamp-11", "lamp-12"}),
        ("amp-12", {"lamp-12"}),
        ("amp-012", set()),
        ("%", set()),
        (r"p\_l", set()),
    ],
)
def test_a_text_is_found_in_words_and_names(found, lamps, text, expected):
    assert found(text, lamps) == expected


def test_a_text_that_every_name_has_fits_all(found, lamps):
    assert len(found("lamp", lamps)) == 14
