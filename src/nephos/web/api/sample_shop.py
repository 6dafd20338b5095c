"""The sample shop: how far it is, and having it made."""

from django.http import HttpRequest
from ninja import Router

from nephos.web.health import require_space
from nephos.web.sample_shop import SampleShop, ask_for_sample_shop, sample_shop

router = Router(tags=["sample shop"])


@router.get("", response=SampleShop)
def state(request: HttpRequest) -> SampleShop:
    """How far it is."""
    return sample_shop()


@router.post("", response=SampleShop)
def make(request: HttpRequest) -> SampleShop:
    """Have it made by a worker, behind all that people wait for."""
    require_space("making the sample shop")
    ask_for_sample_shop()
    return sample_shop()
