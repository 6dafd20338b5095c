/** The field that made the last refused change: it shows the reason and keeps its text. */
import { createContext } from "react";

export interface Trouble {
  /** Why the last change was refused; empty where it was not. */
  problem: string;
  /** The field that made it. */
  field: string | null;
  /** Called by a field that makes a change. */
  ask: (field: string) => void;
  /** Called when what was typed is taken back. */
  clear: () => void;
}

const nothing = () => undefined;
export const FieldTrouble = createContext<Trouble>({ problem: "", field: null, ask: nothing, clear: nothing });
