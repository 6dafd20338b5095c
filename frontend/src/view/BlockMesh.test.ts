import { expect, it } from "vitest";
import { blockGeometry } from "./BlockMesh";

it("closes the block's top with a wall all round", () => {
  const nx = 5,
    ny = 4;
  const made = blockGeometry(nx, ny);
  const index = [...(made.index?.array ?? [])];
  const uv = made.getAttribute("uv"),
    wall = made.getAttribute("wall");
  expect(index.length / 3).toBe(2 * (nx - 1) * (ny - 1) + 2 * 2 * (nx - 1 + ny - 1));
  expect(Math.max(...index)).toBe(uv.count - 1);
  // Each stretch of the border hangs down once.
  const hanging = Array.from({ length: wall.count }, (_, k) => wall.getX(k)).filter((w) => w > 1.5).length;
  expect(hanging).toBe(2 * (nx - 1 + ny - 1) + 1);
});
