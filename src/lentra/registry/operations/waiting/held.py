"""What a waiting request holds: whether it is still there, and giving it up."""

from __future__ import annotations

from lentra.registry.models import Plan, Reservation, Subnet, WaitingRequest
from lentra.registry.plans.locking import drop_held as drop_plan
from lentra.registry.plans.locking import pools_of
from lentra.registry.space.expiry import free_reservations, free_subnets
from lentra.registry.space.locking import open_pools, open_pools_of
from lentra.registry.transactions.change import Change
from lentra.registry.transactions.locks import lock_all

_VERB = "end hold"


def drop_held(change: Change, request: WaitingRequest) -> None:
    """Give up what a request holds, if anything of it is still there."""
    if not request.held:
        return
    if request.what == "subnets":
        with open_pools_of(change, request.made) as pools:
            there = lock_all(Subnet.objects.filter(pk__in=request.made, state="held").order_by("pk"))
            free_subnets(change, there, pools, _VERB)
    elif request.what == "plan":
        for found in Plan.objects.filter(pk__in=request.made, state="held"):
            with open_pools(change, pools_of(found)) as pools:
                for plan in lock_all(Plan.objects.filter(pk=found.pk, state="held")):
                    drop_plan(change, plan, pools, _VERB)
    else:
        for pool in set(Reservation.objects.filter(pk__in=request.made).values_list("pool_id", flat=True)):
            with open_pools(change, [pool]) as pools:
                rows = lock_all(Reservation.objects.filter(pk__in=request.made, pool=pool))
                free_reservations(change, rows, pools, _VERB)
    change.batch.send()


def still_held(request: WaitingRequest) -> bool:
    """Whether all that a request holds is still there."""
    if not request.held:
        return False
    if request.what == "subnets":
        return Subnet.objects.filter(pk__in=request.made, state="held").count() == len(request.made)
    if request.what == "plan":
        return Plan.objects.filter(pk__in=request.made, state="held").exists()
    return Reservation.objects.filter(pk__in=request.made).exists()
