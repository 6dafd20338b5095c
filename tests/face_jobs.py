"""Small jobs of several faces: an egg in its frame."""

from meshes import ellipsoid
from nephos.core.cutters import standard_cutter
from nephos.core.mesh.model import Mesh
from nephos.core.plan.boundary import Limit
from nephos.core.plan.joined_faces import Faces, FaceTab
from nephos.core.plan.model import Model, Placement
from nephos.core.plan.operation import Operation
from nephos.core.plan.schema import Plan
from nephos.core.plan.setups.face import FaceSetup
from nephos.core.plan.setups.setup import Setup
from nephos.core.plan.stock import Stock
from nephos.core.stages.of_plan import job_stages
from nephos.core.stages.run import run_plan
from nephos.core.stages.store import MemoryStore
from nephos.core.stages.whole import Whole, stock_mesh
from nephos.core.stages.work import Work
from nephos.core.stock.whole import Solid, whole_block
from nephos.core.strategies.registry import strategy

STOCK = Stock(length=60, width=44, thickness=20)
FLAT, BALL = standard_cutter("flat", 4, 1), standard_cutter("ball", 3, 2)
EGG = ellipsoid((18, 10, 7))


def operation(number: int, key: str, cutter, boundary: str, contain: str, **words) -> Operation:
    return Operation(
        number=number,
        strategy=key,
        cutter=cutter,
        boundary=Limit(boundary=boundary, contain=contain),
        settings=strategy(key).settings.model_validate(words),
    )


def egg_setup(key: str, side: str, first: int, overrun: float = 2.2, **words) -> Setup:
    rough = operation(first, "rough_offset", FLAT, "border", "inside", stepdown=2, stepover=1.6, leave=0.3)
    finish = operation(first + 10, "finish_raster", BALL, "silhouette", "outside", stepover=0.3, outline="on")
    return FaceSetup(id=key, name=f"Setup {key}", side=side, overrun=overrun, operations=(rough, finish), **words)


def egg_plan(**words) -> Plan:
    placement = Placement(align=("centre", "centre", "centre"), offset=(0, 0, 0))
    tabs = (
        FaceTab(id="right", at=(48, 22, 10), angle=0, width=5, thickness=3),
        FaceTab(id="left", at=(12, 22, 10), angle=180, width=5, thickness=3, shape="round"),
    )
    return Plan(
        stock=STOCK,
        models=(Model(id="egg", name="egg", mesh="egg", placement=placement),),
        setups=(egg_setup("a", "top", 10), egg_setup("b", "bottom", 30)),
        faces=Faces(parting=10, border=6, tabs=tabs),
        pitch=0.25,
    ).model_copy(update=words)


def solids(whole: Whole, stock: Stock = STOCK) -> tuple[Solid, ...]:
    """The finished block of a job."""
    return whole_block(stock_mesh(stock), tuple(item.side for item in whole.surfaces))


def cut(plan: Plan, mesh: Mesh = EGG, store: MemoryStore | None = None):
    work = Work(store or MemoryStore())
    done = list(run_plan(plan, lambda _: mesh, work))
    return done, work.of(job_stages(plan.as_cut()).whole)
