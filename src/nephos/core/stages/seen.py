"""Plans with nothing in them but what some stages read: all else has its default, so that it cannot be read."""

from nephos.core.cutters import Cutter
from nephos.core.machine.machine import machine_of
from nephos.core.materials import shipped_material
from nephos.core.plan.clamping import Zero
from nephos.core.plan.joined_faces import Registration
from nephos.core.plan.model import Model
from nephos.core.plan.operation import Operation
from nephos.core.plan.schema import Plan
from nephos.core.plan.setups.setup import Setup
from nephos.core.plan.stock import Stock
from nephos.core.post.schema import shipped_posts


def bare_stock(stock: Stock) -> Stock:
    """Stock of which its shape is known alone."""
    return stock.model_copy(update={"material": shipped_material("lime"), "grain": "x"})


def unnamed(model: Model) -> Model:
    """A model without its name and those of its pieces."""
    composition = model.composition
    if composition is not None:
        pieces = tuple(piece.model_copy(update={"name": "piece"}) for piece in composition.pieces)
        composition = composition.model_copy(update={"pieces": pieces})
    placement = model.placement.model_copy(update={"before_repairs": None})
    return model.model_copy(update={"name": "model", "composition": composition, "placement": placement})


def models_seen(plan: Plan) -> Plan:
    """Stock and shown models of a plan."""
    return Plan.model_construct(
        stock=bare_stock(plan.stock), models=tuple(unnamed(model) for model in plan.models if model.shown)
    )


def space_seen(plan: Plan, setup: Setup) -> Plan:
    """Stock, shown models, what the faces of a part share, and the setup that holds a bar."""
    faces = plan.faces and plan.faces.model_copy(update={"registration": Registration()})
    holder = next((item for item in plan.setups if item.holding is not None and item.on), None)
    holding = () if holder is None or holder is setup else (holder.lying(),)
    own = setup.lying(parted=faces is not None)
    return models_seen(plan).model_copy(update={"faces": faces, "setups": (*holding, own)})


def block_seen(plan: Plan) -> Plan:
    """Stock and pitch."""
    return Plan.model_construct(stock=bare_stock(plan.stock), pitch=plan.block_pitch)


def part_seen(setup: Setup, parted: bool) -> Setup:
    """A setup with how it lies, what it is a part of, and the shape of what its operations cut."""
    operations = tuple(operation_seen(operation, with_holder=False) for operation in setup.worked)
    plain: dict[str, object] = {"on": True, "zero": Zero(), "clearance": 5.0, "packing": 0.0, "home": None}
    plain |= {"keep_outs": (), "operations": operations}
    if setup.own_area is not None:
        return setup.model_copy(update={"name": "part"} | plain)
    return setup.lying(parted).model_copy(update={"operations": operations})


def compare_seen(plan: Plan, setup: Setup) -> tuple[Plan, Setup]:
    """What the comparison of a setup depends on: the space, the tolerance, and the parts of the setup cut before it."""
    parted = plan.faces is not None
    at = next((k for k, item in enumerate(plan.setups) if item.id == setup.id), 0)
    before = [item for item in plan.setups[:at] if item.parent_id == setup.parent_id]
    space, own = space_seen(plan, setup), part_seen(setup, parted)
    setups = (*(part_seen(item, parted) for item in before), own)
    change = {"tolerance": plan.tolerance, "setups": (*space.setups[:-1], *setups)}
    return space.model_copy(update=change), own


def whole_seen(plan: Plan) -> Plan:
    """What the finished block is judged by: stock, pitch, shown models, what the faces of a part share, and all setups
    with the shape of what their operations cut."""
    parted = plan.faces is not None
    change = {
        "faces": plan.faces and plan.faces.model_copy(update={"registration": Registration()}),
        "setups": tuple(part_seen(setup, parted) for setup in plan.setups if setup.on),
        "pitch": plan.block_pitch,
    }
    return models_seen(plan).model_copy(update=change)


def reported(plan: Plan, setup: Setup) -> tuple[Plan, Setup]:
    """All of a plan that the report and the findings of a setup may read, besides its clamps."""
    own = setup.model_copy(update={"keep_outs": ()})
    operations = tuple(
        operation.model_copy(update={"on": True, "shown": True, "coolant": "none", "fine": None})
        for operation in setup.worked
    )
    own = own.model_copy(update={"on": True, "operations": operations})
    holder = next((item for item in plan.setups if item.holding is not None and item.on), None)
    holding = () if holder is None or holder.id == setup.id else (holder.lying(),)
    post = shipped_posts()["rs274-metric"].model_copy(update={"rotary": plan.own_post.rotary})
    seen = Plan.model_construct(
        stock=plan.stock,
        models=tuple(Model.model_construct(id=model.id, name="model") for model in plan.models if model.shown),
        faces=plan.faces and plan.faces.model_copy(update={"registration": Registration()}),
        setups=(*holding, own),
        post=post,
        machine=machine_of(plan.machine),
        tolerance=plan.tolerance,
        pitch=plan.block_pitch,
    )
    return seen, own


def cutter_seen(cutter: Cutter, with_holder: bool) -> Cutter:
    """A cutter of which its shape is known alone; shank and holder where they are asked for."""
    plain: dict[str, object] = {"number": 1, "name": "cutter", "group": "", "feed": 1000.0, "plunge_feed": 500.0}
    plain |= {"spindle": 10_000.0, "ramp_limit": 90.0}
    if not with_holder:
        plain |= {"holder": (), "stickout": None, "overall_length": cutter.flute_length + 50.0}
    return cutter.model_copy(update=plain)


def operation_seen(operation: Operation, with_holder: bool) -> Operation:
    """An operation with nothing but what its passes depend on. Shank and holder are known where they keep off chuck and
    tailstock."""
    change = {
        "cutter": cutter_seen(operation.cutter, with_holder),
        "number": 1,
        "on": True,
        "shown": True,
        "feed": None,
        "plunge_feed": None,
        "spindle": None,
        "coolant": "none",
        "fine": None,
    }
    return operation.model_copy(update=change)
