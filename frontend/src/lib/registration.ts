/** How the outline of a part comes to lie where the stock is not found again exactly: drawn larger than it is. */
import type { Spot } from "./rims";

export interface RegistrationError {
  dx: number;
  dy: number;
  rotation: number;
}

/** How many times an error that makes a step of `step` mm is enlarged to be seen on stock of `size` mm: 1, 2, 5, 10 … */
export function enlargement(step: number, size: number): number {
  const wanted = (0.04 * size) / Math.max(step, 1e-6);
  if (wanted <= 1) return 1;
  const ten = 10 ** Math.floor(Math.log10(wanted));
  return ten * (wanted >= 5 * ten ? 5 : wanted >= 2 * ten ? 2 : 1);
}

/** Where a place comes to lie with an error that is enlarged `times`: turned (degrees) about `centre`, then moved. */
export function displaced(at: Spot, centre: Spot, error: RegistrationError, times: number): Spot {
  // A rotation that is drawn larger than 90 degrees would come round again.
  const turn = (Math.max(Math.min(times * error.rotation, 90), -90) * Math.PI) / 180;
  const [x, y] = [at[0] - centre[0], at[1] - centre[1]];
  return [
    centre[0] + x * Math.cos(turn) - y * Math.sin(turn) + times * error.dx,
    centre[1] + x * Math.sin(turn) + y * Math.cos(turn) + times * error.dy,
  ];
}
