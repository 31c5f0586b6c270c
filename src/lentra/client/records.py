"""The records of the API. For type checkers each is a TypedDict (records.pyi, written from the OpenAPI document by
`script/lint --fix`); when a program runs, a record is a dict.

Example:
    >>> from lentra.client.records import SubnetRequest
    >>> SubnetRequest(project="ticketing", tier="app", hosts=50)["hosts"]
    50
"""

from __future__ import annotations


def __getattr__(name: str) -> type:
    """Any record, as a dict."""
    if name.startswith("_") or not name[0].isupper():
        raise AttributeError(f"there is no record {name}")
    return dict
