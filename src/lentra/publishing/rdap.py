"""What is known about addresses and names, as the Registration Data Access Protocol has it (RFC 9083, RFC 9537).

Who is not signed in is told of public space in published realms, and of whoever runs the realm; whose a network is, and
what it is called, is left out, and it is said that it is.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from datetime import datetime
from typing import Any

from lentra.addressing.prefix import address_text
from lentra.registry.models import DnsZone, Project, Realm, Subnet
from lentra.registry.reports.asked_about import MOST_FOUND, Events, Network

MEDIA = "application/rdap+json"  # RFC 7480, section 4.2
Told = dict[str, Any]
LEVEL = ["rdap_level_0", "cidr0", "redacted", "geofeed1"]
OPERATOR = "operator"  # the handle of whoever runs a realm
_STATUS = {  # RFC 9083, section 10.2.2
    "held": ["pending create"],
    "active": ["active"],
    "retiring": ["active", "pending delete"],
    "cooling": ["inactive", "pending delete"],
}
_WITHHELD = "Withheld from whoever is not signed in"


class Teller:
    """Tells what is known in one realm.

    Args:
        base: the realm's base address, without a slash at its end.
        all_of_it: the caller is signed in.
    """

    def __init__(self, realm: Realm, base: str, site: str, all_of_it: bool) -> None:
        self.realm, self.base, self.site, self.all = realm, base, site, all_of_it

    def network(self, network: Network) -> Told:
        """An IP network (section 5.4)."""
        prefix, record = network.prefix, network.record
        bounds = [address_text(prefix.family, one) for one in (prefix.first, prefix.last)]
        told: Told = {
            "objectClassName": "ip network",
            "handle": f"{prefix.family}-{record.pk}",
            "startAddress": bounds[0],
            "endAddress": bounds[1],
            "ipVersion": f"v{prefix.family}",
            "name": record.name,
            "type": "assignment" if isinstance(record, Subnet) else "allocation",
            "status": _STATUS[record.state] if isinstance(record, Subnet) else ["active"],
            "cidr0_cidrs": [{f"v{prefix.family}prefix": bounds[0], "length": prefix.length}],
            "entities": [self._operator()],
            "events": _events(network.events),
            "links": [self._link("self", f"ip/{prefix}")],
        }
        if isinstance(record, Subnet) and record.ends_at:
            told["events"].append(_event("expiration", record.ends_at))
        if network.around:
            told["parentHandle"] = f"{prefix.family}-{network.around.record.pk}"
            told["links"].append(self._link("up", f"ip/{network.around.prefix}"))
        if network.is_public and self.realm.published:
            geofeed = {"rel": "geo", "type": "application/geofeed+csv", "value": told["links"][0]["value"]}
            told["links"].append({**geofeed, "href": f"{self.site}/geofeed.csv"})
        if self.all:
            if network.project:
                told["entities"].insert(0, self.entity(network.project, "registrant", whole=False))
            about = getattr(record, "about", "") or getattr(record, "purpose", "")
            if about:
                told["remarks"] = [{"title": "What it is for", "description": [about]}]
        elif isinstance(record, Subnet) or network.project:
            del told["name"]
            told["redacted"] = [
                _redacted("Network Name", "$.name"),
                _redacted("Registrant", "$.entities[?(@.roles[0]=='registrant')]"),
            ]
        return told

    def domain(self, zone: DnsZone, network: Network | None, events: Events | None = None) -> Told:
        """A domain (section 5.3): a DNS zone, who serves it, and the network whose addresses lie in it."""
        told: Told = {
            "objectClassName": "domain",
            "handle": f"D-{zone.pk}",
            "ldhName": zone.name,
            "status": ["active"],
            "nameservers": [self.server(text.split()[0], text.split()[1:]) for text in zone.servers],
            "secureDNS": {
                "delegationSigned": bool(zone.ds),
                **({"dsData": [_ds(d) for d in zone.ds]} if zone.ds else {}),
            },
            "entities": [self._operator()],
            "links": [self._link("self", f"domain/{zone.name}")],
            "events": _events(events or Events(None, None)),
        }
        if network:
            told["network"] = {k: v for k, v in self.network(network).items() if k != "redacted"}
        if self.all and zone.project:
            told["entities"].insert(0, self.entity(zone.project, "registrant", whole=False))
        elif zone.project:
            told["redacted"] = [_redacted("Registrant", "$.entities[?(@.roles[0]=='registrant')]")]
        return told

    def server(self, name: str, addresses: Sequence[str]) -> Told:
        """A name server (section 5.2)."""
        told: Told = {
            "objectClassName": "nameserver",
            "ldhName": name,
            "links": [self._link("self", f"nameserver/{name}")],
        }
        kinds = {"v4": [a for a in addresses if ":" not in a], "v6": [a for a in addresses if ":" in a]}
        if addresses:
            told["ipAddresses"] = {kind: own for kind, own in kinds.items() if own}
        return told

    def entity(self, project: Project, role: str = "", whole: bool = True, events: Events | None = None) -> Told:
        """A project as an entity (section 5.1); `whole`: by itself, not within something else."""
        told: Told = {
            "objectClassName": "entity",
            "handle": project.name,
            "vcardArray": _card(project.title or project.name, project.contact, "group"),
            "links": [self._link("self", f"entity/{project.name}")],
        }
        if role:
            told["roles"] = [role]
        if whole:
            told["status"] = ["active"]
            told["events"] = _events(events or Events(None, None))
        return told

    def _operator(self) -> Told:
        """Whoever runs the realm: told to anybody."""
        return {
            "objectClassName": "entity",
            "handle": OPERATOR,
            "roles": ["administrative", "abuse"],
            "vcardArray": _card(self.realm.operator or self.realm.name, self.realm.operator_contact, "org"),
            "links": [self._link("self", f"entity/{OPERATOR}")],
        }

    def operator(self) -> Told:
        """The same by itself."""
        return {**self._operator(), "status": ["active"]}

    def whole(self, told: Told, address: str) -> Told:
        """An answer: what is told, with what goes with each answer (sections 4.1 to 4.3)."""
        notice: Told = {
            "title": "Terms of Use",
            "description": [
                "Told from the registry as it is now, for whoever runs networks.",
                "All is told." if self.all else "Who is not signed in is told of public space alone.",
            ],
            "links": [{**self._link("terms-of-service", "help"), "value": address}],
        }
        return {"rdapConformance": LEVEL, "lang": "en", "notices": [notice], **told}

    def found(self, kind: str, rows: Sequence[Told]) -> Told:
        """The results of a search (section 8), and whether there are more of them (section 9)."""
        told: Told = {kind: list(rows[:MOST_FOUND])}
        if len(rows) > MOST_FOUND:
            told["remarks"] = [
                {
                    "title": "Search Policy",
                    "type": "result set truncated due to excessive load",
                    "description": [f"The first {MOST_FOUND} are told: ask for less."],
                }
            ]
        return told

    def help(self) -> Told:
        """What can be asked here (section 7)."""
        lines = [
            "ip/ADDRESS and ip/PREFIX: the innermost network that holds it",
            "domain/NAME: the DNS zone around a name, also of addresses (in-addr.arpa, ip6.arpa)",
            "nameserver/NAME: a name server of a DNS zone",
            f"entity/HANDLE: a project by its key, or {OPERATOR}",
            "domains?name=, nameservers?name=, nameservers?ip=, entities?handle=, entities?fn=: a star for anything",
            "Who signs in, by a token as bearer or as the password of HTTP Basic, is told all of it.",
        ]
        links = [self._link("self", "help")]
        return {"notices": [{"title": "What can be asked here", "description": lines, "links": links}]}

    def _link(self, rel: str, path: str) -> dict[str, str]:
        address = f"{self.base}/{path}"
        return {"value": address, "rel": rel, "href": address, "type": MEDIA}


def error(status: int, title: str, *lines: str) -> Told:
    """What is said where nothing can be (section 6)."""
    return {
        "rdapConformance": LEVEL,
        "lang": "en",
        "errorCode": status,
        "title": title,
        "description": list(lines),
    }


def bootstrap(services: Mapping[str, Sequence[str]], published: datetime) -> Told:
    """Where which ranges are asked about (RFC 9224, section 4): base address -> prefixes."""
    return {
        "version": "1.0",
        "publication": _moment(published),
        "description": "Ranges of the published realms of this registry",
        "services": [[list(prefixes), [f"{base}/"]] for base, prefixes in services.items() if prefixes],
    }


def _events(events: Events) -> list[Told]:
    made = [_event("registration", events.made)] if events.made else []
    return [*made, *([_event("last changed", events.changed)] if events.changed else [])]


def _event(action: str, when: datetime) -> Told:
    return {"eventAction": action, "eventDate": _moment(when)}


def _moment(when: datetime) -> str:
    return when.isoformat(timespec="seconds").replace("+00:00", "Z")


def _card(name: str, contact: str, kind: str) -> list[Any]:
    """A contact as jCard (RFC 7095)."""
    lines: list[list[Any]] = [["version", {}, "text", "4.0"], ["kind", {}, "text", kind], ["fn", {}, "text", name]]
    if "@" in contact:
        lines.append(["email", {}, "text", contact])
    elif contact:
        lines.append(["note", {}, "text", contact])
    return ["vcard", lines]


def _ds(text: str) -> Told:
    tag, algorithm, kind, digest = text.split(" ", 3)
    return {
        "keyTag": int(tag),
        "algorithm": int(algorithm),
        "digestType": int(kind),
        "digest": digest.replace(" ", ""),
    }


def _redacted(name: str, path: str) -> Told:
    """That something is left out (RFC 9537, section 4.2)."""
    return {
        "name": {"type": name},
        "prePath": path,
        "pathLang": "jsonpath",
        "method": "removal",
        "reason": {"description": _WITHHELD},
    }
