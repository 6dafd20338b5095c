/** How a piece of a relief is changed: shown while it is typed, kept when it is entered. */
import type { ReliefPiece } from "../../../api/types";
import { useSheetState, withPiece } from "../../state";

export function usePieceChange(model: string, piece: string) {
  const { plan, live, keep } = useSheetState();
  return {
    show: (change: Partial<ReliefPiece>) => live(withPiece(plan, model, piece, change), true),
    keep: (change: Partial<ReliefPiece>, note: string) => keep(withPiece(plan, model, piece, change), note),
  };
}

/** A source or shape with some of its values changed. */
export const part = <T extends object>(old: T, change: Record<string, unknown>): T => ({ ...old, ...change });

/** The source or shape of a kind with nothing but its defaults: the server fills them in. */
export const bare = <T>(kind: string): T => ({ kind }) as unknown as T;

/** Heights of a drawn section from what was typed, or none where it is no list of shares. */
export function heightsOf(typed: string): number[] | null {
  const values = typed
    .split(/[;\s]+|,(?!\d)/)
    .filter(Boolean)
    .map((word) => Number(word.replace(",", ".")));
  const fits = values.length >= 2 && values.length <= 101 && values.every((value) => value >= 0 && value <= 1);
  return fits ? values : null;
}
