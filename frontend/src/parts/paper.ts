/** Whether the page is on paper or dark, and how to change it. */
import { createContext, useContext } from "react";

export const PaperContext = createContext({ dark: false, turn: (): void => undefined });
export const usePaper = () => useContext(PaperContext);
