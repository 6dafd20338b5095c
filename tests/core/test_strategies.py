"""What strategies say of themselves, so that nobody has to look at their names."""

import pytest

from nephos.core.cutters import standard_cutter
from nephos.core.plan.boundary import Limit
from nephos.core.plan.operation import Operation
from nephos.core.strategies.registry import Figures, strategies


def operation(key: str, **settings: object) -> Operation:
    shape = strategies()[key].shapes[0]
    return Operation(number=10, strategy=key, cutter=standard_cutter(shape, 6, 1), settings=settings)


def test_every_strategy_says_what_it_is_for() -> None:
    roles = {key: kind.role for key, kind in strategies().items()}
    for key, role in roles.items():
        assert key.startswith("rough") == (role == "rough")
        assert key.startswith("finish") == (role == "finish")
    assert [key for key, role in roles.items() if role == "cut_out"] == ["cut_out"]
    assert {kind for item in strategies().values() for kind in item.setup_kinds} == {"face", "rotary"}


@pytest.mark.parametrize("key", list(strategies()))
def test_figures_are_the_settings_of_their_names(key: str) -> None:
    one = operation(key)
    own = one.settings.model_dump()
    for name, value in one.settings.figures._asdict().items():
        assert value == own.get(name, Figures._field_defaults[name])


def test_only_what_cuts_the_part_free_says_how_it_is_held_and_to_what_level_it_goes() -> None:
    for key in strategies():
        settings = operation(key).settings
        assert (settings.held is not None) == (key == "cut_out")
        assert (settings.level_over(-20.0) is not None) == (key == "cut_out")
    through = operation("cut_out", through=0.3, tabs=3, tab_length=7.0, tab_height=2.0, side="inside").settings
    assert through.level_over(-20.0) == pytest.approx(-20.3)
    assert through.held is not None
    assert (through.held.tab_count, through.held.tab_length, through.held.tab_height) == (3, 7.0, 2.0)
    assert through.held.side == "inside" and through.held.skin == 0.0
    skin = operation("cut_out", through=0.3, skin=0.5).settings
    assert skin.level_over(-20.0) == pytest.approx(-19.5), "a skin is over the underside, whatever goes into the bed"


@pytest.mark.parametrize(("contain", "past"), [("inside", -3.0), ("centre", 0.0), ("outside", 3.0)])
@pytest.mark.parametrize("offset", [-1.0, 0.0, 2.5])
def test_a_limit_says_how_far_past_the_boundary_the_axis_goes(contain, past: float, offset: float) -> None:
    assert Limit(boundary="box", contain=contain, offset=offset).past(3.0) == past + offset
