/** The rectangle that the axis of an operation's cutter may be in, where its boundary is a box. */
import * as THREE from "three";
import { placedOf, type Derived, type FullPlan, type Operation } from "../api/types";

/** Low and high corner on the plan of a setup; none where the boundary is an outline, or nothing is placed yet. */
export function boundsOf(
  operation: Operation,
  plan: FullPlan,
  derived: Derived,
  matrix: THREE.Matrix4,
): { low: [number, number]; high: [number, number] } | null {
  const models = (plan.models ?? []).filter((model) => model.shown);
  const limit = operation.boundary,
    { stock } = plan;
  const of = limit?.boundary ?? "box";
  if (models.length === 0 || (of !== "box" && of !== "stock")) return null;
  const union = new THREE.Box3();
  if (of === "stock")
    union.set(new THREE.Vector3(0, 0, 0), new THREE.Vector3(stock.length, stock.width, stock.thickness));
  else
    for (const model of models) {
      const placed = placedOf(derived, model.id);
      if (placed)
        union.union(
          new THREE.Box3(
            new THREE.Vector3(...(placed.low as [number, number, number])),
            new THREE.Vector3(...(placed.high as [number, number, number])),
          ),
        );
    }
  if (union.isEmpty()) return null;
  union.applyMatrix4(matrix);
  const margin =
    (limit?.offset ?? 0) +
    { inside: -1, centre: 0, outside: 1 }[limit?.contain ?? "outside"] * (operation.cutter.diameter / 2);
  return {
    low: [union.min.x - margin, union.min.y - margin],
    high: [union.max.x + margin, union.max.y + margin],
  };
}
