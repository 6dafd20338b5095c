/** How fluent the view is: where a full picture takes long, a coarser one is drawn while things move. */
import { createContext, useCallback, useContext, useEffect, useMemo, useRef, useState } from "react";

/** Milliseconds for one full picture beyond which turning and scrubbing get the coarser one. */
export const SLOW = 60;
/** Milliseconds without a change before the full picture is drawn again: it takes long, and nothing else can be drawn meanwhile. */
const REST = 700;

export interface Pace {
  coarse: boolean;
  poke: () => void;
  drew: (milliseconds: number) => void;
}

export const PaceContext = createContext<Pace>({ coarse: false, poke: () => undefined, drew: () => undefined });
export const usePaceContext = () => useContext(PaceContext);

export function usePace(): Pace {
  const [coarse, setCoarse] = useState(false);
  const slow = useRef(false);
  const timer = useRef<ReturnType<typeof setTimeout> | undefined>(undefined);
  useEffect(() => () => clearTimeout(timer.current), []);
  const poke = useCallback(() => {
    if (!slow.current) return;
    setCoarse(true);
    clearTimeout(timer.current);
    timer.current = setTimeout(() => setCoarse(false), REST);
  }, []);
  const coarser = useRef(false);
  useEffect(() => {
    coarser.current = coarse;
  }, [coarse]);
  const drew = useCallback((milliseconds: number) => {
    if (coarser.current) return;
    slow.current = milliseconds > SLOW;
  }, []);
  return useMemo(() => ({ coarse, poke, drew }), [coarse, poke, drew]);
}
