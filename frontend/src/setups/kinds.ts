/** What the page asks of setups of any kind. The only file that knows which kinds there are. */
import type { FullPlan, Rotary, Setup, Tiles } from "../api/types";

type OnSide = Exclude<Setup, { kind: "rotary" }>;

/** A setup that has a side up, with that side; none of a bar that rotates. */
export const sideUp = (setup: Setup): OnSide | null => (setup.kind === "rotary" ? null : setup);

/** Which side is up; a bar that rotates shows its top where A is 0. */
export const sideOf = (setup: Setup): NonNullable<OnSide["side"]> => sideUp(setup)?.side ?? "top";

/** How far a setup cuts past the parting, in mm. */
export const overrunOf = (setup: Setup): number => sideUp(setup)?.overrun ?? 0;

/** The tiles that a setup is cut in; none where it is cut whole. */
export const tilesOf = (setup: Setup): Tiles | null => (setup.kind === "tiled" ? setup.tiles : null);

/** What holds the bar of a setup that rotates; none of another one. */
export const holdingOf = (setup: Setup): Rotary | null => (setup.kind === "rotary" ? setup.rotary : null);

/** The page of the help on setups of a kind; none where it is told with the faces of the part. */
export const helpPageOf = (setup: Setup): string | null =>
  setup.kind === "rotary" ? "rotary" : setup.kind === "tiled" ? "tiles" : null;

/** Whether the stock is a bar that rotates in one of the setups. */
export const hasBar = (plan: FullPlan): boolean => plan.setups.some((setup) => holdingOf(setup) !== null);
