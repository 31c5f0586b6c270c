"""Metrics and logs: valid by a parser, bounded in their labels, and true."""

import json
import re

import pytest
import requests
from prometheus_client.openmetrics.parser import text_string_to_metric_families as read_openmetrics

LINE = re.compile(r'[a-z_:]+(\{([a-z_]+="(\\.|[^"\\])*",?)*\})? [-+0-9.einfNa]+( [0-9.]+)?( # .*)?')


def scrape(live, **headers):
    answer = requests.get(live.url + "/metrics", headers=headers, timeout=30)
    assert answer.status_code == 200
    assert answer.headers["Content-Type"].startswith("application/openmetrics-text")
    return answer.text


def value(text, name, **labels):
    for family in read_openmetrics(text):
        for sample in family.samples:
            if sample.name == name and all(sample.labels.get(k) == v for k, v in labels.items()):
                return sample.value
    return None


def test_what_is_answered_is_counted_over_all_processes(live, planner, fresh_pool):
    pool = fresh_pool("10.40.64.0/26")
    ask = {"pool": pool, "project": "ticketing", "tier": "app", "zone": "ml-1", "length": 27}
    before = scrape(live)
    for _ in range(2):
        planner.request(**ask)
    for _ in range(3):
        with pytest.raises(Exception, match="nothing is left"):
            planner.request(**ask)
    after = scrape(live)

    def grown(outcome):
        labels = {"call": "POST subnet-list", "outcome": outcome}
        return value(after, "lentra_answers_total", **labels) - (
            value(before, "lentra_answers_total", **labels) or 0
        )

    assert grown("ok") == 2
    assert grown("exhausted") == 3
    assert value(after, "lentra_answer_seconds_count", call="POST subnet-list") >= 5
    realm, name = pool.split(":")
    assert value(after, "lentra_pool_addresses", realm=realm, pool=name, state="handed out") == 64
    assert value(after, "lentra_pool_used_ratio", realm=realm, pool=name) == 1


def test_every_line_is_openmetrics_and_labels_stay_bounded(live):
    for path in ("subnets/one-of-many-names", "pools/9999", "zones/x'\"\n"):
        requests.get(
            f"{live.url}/api/v1/{path}", headers={"Authorization": "Bearer " + live.token("viewer")}, timeout=10
        )
    text = scrape(live)
    lines = text.splitlines()
    assert lines[-1] == "# EOF"
    for line in lines[:-1]:
        assert line.startswith(("# HELP ", "# TYPE ", "# UNIT ")) or LINE.fullmatch(line), line
    assert "one-of-many-names" not in text
    names = [family.name for family in read_openmetrics(text)]
    assert len(names) == len(set(names))
    assert {"lentra_answers", "lentra_answer_seconds", "lentra_pool_addresses", "lentra_upkeep"} <= set(names)


def test_logs_are_json_lines_with_the_request(live):
    headers = {"Authorization": "Bearer " + live.token("viewer"), "X-Request-ID": "who-asked-1"}
    assert requests.get(f"{live.url}/api/v1/zones/atlantis", headers=headers, timeout=10).status_code == 404
    log = live.service.log.read_text().splitlines()
    lines = [json.loads(line) for line in log if line.startswith('{"at"')]
    (asked,) = [line for line in lines if line.get("request") == "who-asked-1"]
    assert asked["message"].startswith("GET zone-detail unknown-name in ")
    assert all({"at", "level", "logger", "message"} <= set(line) for line in lines)


def test_a_line_of_the_log_carries_the_request_it_belongs_to():
    import logging

    from lentra.service.logs import JsonLines, request_id

    mark = request_id.set("req-7")
    try:
        record = logging.LogRecord("lentra", logging.WARNING, __file__, 1, "put off: %s", ("lock",), None)
        told = json.loads(JsonLines().format(record))
    finally:
        request_id.reset(mark)
    assert (told["request"], told["level"], told["message"]) == ("req-7", "warning", "put off: lock")
