/** The field that made the last refused change: it shows the reason and keeps its text. */
import { createContext, useCallback, useMemo, useRef, useState } from "react";

export interface Trouble {
  /** Why the last change was refused; empty where it was not. */
  problem: string;
  /** The field that made it. */
  field: string | null;
  /** Called by a field right before it makes a change. */
  ask: (field: string) => void;
  /** Called when a field is unmounted: the reason is then shown with the sheet. */
  leave: (field: string) => void;
  /** Called when what was typed is taken back. */
  clear: () => void;
}

const nothing = () => undefined;
export const FieldTrouble = createContext<Trouble>({
  problem: "",
  field: null,
  ask: nothing,
  leave: nothing,
  clear: nothing,
});

interface Refusal {
  problem: string;
  field: string | null;
}
const NONE: Refusal = { problem: "", field: null };

/** Which change was refused last, and by which field it was made. A reason is shown in one place: at that field, or
 * (`elsewhere`) with the sheet where no field made the change. */
export function useRefusal() {
  const [refusal, setRefusal] = useState(NONE);
  const asker = useRef<string | null>(null);
  const ask = useCallback((field: string) => void (asker.current = field), []);
  const clear = useCallback(() => setRefusal(NONE), []);
  const leave = useCallback(
    (field: string) => setRefusal((old) => (old.field === field ? { ...old, field: null } : old)),
    [],
  );
  /** Called where a change begins: the way to say that this very change was refused. */
  const begin = useCallback(() => {
    const field = asker.current;
    asker.current = null;
    return (problem: string) => setRefusal({ problem, field });
  }, []);
  const { problem, field } = refusal;
  const trouble: Trouble = useMemo(
    () => ({ problem: field ? problem : "", field, ask, leave, clear }),
    [problem, field, ask, leave, clear],
  );
  return { trouble, elsewhere: field ? "" : problem, begin, clear };
}
