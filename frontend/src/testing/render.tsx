/** Renders parts of the page for tests: in the theme, and with a route sheet that notes what is asked of it. */
import { cleanup, render } from "@testing-library/react";
import userEvent from "@testing-library/user-event";
import type { ReactNode } from "react";
import { ThemeProvider } from "styled-components";
import { afterEach, vi } from "vitest";
import type { FullPlan } from "../api/types";
import { paper } from "../theme";
import { SheetState, type Sheet } from "../workspace/state";

afterEach(cleanup);

// jsdom has none, and React Aria asks for it where it looks elements up.
vi.stubGlobal("CSS", { escape: (text: string) => text.replace(/[^\w-]/g, (mark) => `\\${mark}`) });

// jsdom reads files by events alone.
Blob.prototype.text ??= function text(this: Blob) {
  return new Promise((resolve) => {
    const reader = new FileReader();
    reader.onload = () => resolve(String(reader.result));
    reader.readAsText(this);
  });
};

export function show(what: ReactNode) {
  const { container, rerender } = render(<ThemeProvider theme={paper}>{what}</ThemeProvider>);
  return {
    user: userEvent.setup(),
    container,
    again: (other: ReactNode) => rerender(<ThemeProvider theme={paper}>{other}</ThemeProvider>),
  };
}

/** A part that belongs to a job, with the plan given. */
export function showInSheet(what: ReactNode, plan: Partial<FullPlan>, more: Partial<Sheet> = {}) {
  const asked = { live: vi.fn(), keep: vi.fn(), edit: vi.fn(), goTo: vi.fn(), choose: vi.fn() };
  const sheet = { plan, setupId: "a", derived: { setups: [] }, ...asked, ...more } as unknown as Sheet;
  return { ...show(<SheetState.Provider value={sheet}>{what}</SheetState.Provider>), sheet: asked };
}
