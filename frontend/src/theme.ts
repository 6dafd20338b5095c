/** The one theme: drawing-office paper, and a dark sheet. */
import { createGlobalStyle } from "styled-components";

const text = "'Instrument Sans Variable', sans-serif";
const mono = "'Spline Sans Mono', monospace";

export const paper = {
  ground: "#F3F1EC",
  panel: "#FBFAF7",
  hairline: "#D9D4C9",
  ink: "#1F2A30",
  muted: "#5F6361",
  action: "#0F5257",
  onAction: "#FFFFFF",
  chosen: "#E6ECEA",
  stop: "#A8321F",
  caution: "#8F5E14",
  note: "#3B6E8F",
  fit: "#8CB0AA",
  view: "#E9E7E1",
  text,
  mono,
};

export type Theme = typeof paper;

export const slate: Theme = {
  ground: "#1B2226",
  panel: "#222B30",
  hairline: "#3A464C",
  ink: "#ECE9E1",
  muted: "#A4ACA9",
  action: "#6FB9B5",
  onAction: "#10191C",
  chosen: "#2C3A3F",
  stop: "#F08A78",
  caution: "#E0AE5A",
  note: "#8CBBDB",
  fit: "#4F8580",
  view: "#2A3338",
  text,
  mono,
};

/** Colours of the 3D view, which are the same on both sheets. */
export const scene = {
  shallow: "#8FC1C4",
  deep: "#14213D",
  rapid: "#C2772B",
  entry: "#8E2F62",
  model: "#CFC8B8",
  wood: "#C9A977",
  leftover: "#6B4C9A",
  within: "#E9E4D6",
  gouge: "#B3261E",
  corner: "#5F7F9E",
  zero: "#A8321F",
  edge: "#6B6F6C",
  /** What each setup left, in their order. */
  setups: ["#8FC1C4", "#D8A657", "#A58BC0", "#8DAF72", "#C9806A", "#7E9CC7"],
};

/** How the proof may look in a picture for a customer: colour, how much grain, how much shine. */
export const looks = {
  lime: { title: "lime", colour: "#D9C7A0", grain: 0.7, shine: 0.02 },
  oak: { title: "oak", colour: "#B98B4E", grain: 1.5, shine: 0.03 },
  walnut: { title: "walnut", colour: "#6F4A30", grain: 1.1, shine: 0.05 },
  plaster: { title: "plaster", colour: "#E9E6DF", grain: 0, shine: 0 },
  slate: { title: "slate", colour: "#515C63", grain: 0, shine: 0.08 },
  brass: { title: "brass", colour: "#B08D3E", grain: 0, shine: 0.5 },
};

declare module "styled-components" {
  // eslint-disable-next-line @typescript-eslint/no-empty-object-type
  export interface DefaultTheme extends Theme {}
}

export const GlobalStyle = createGlobalStyle`
  * { box-sizing: border-box; }
  html, body, #root { height: 100%; margin: 0; }
  body { background: ${(p) => p.theme.ground}; color: ${(p) => p.theme.ink}; font: 13px/1.35 ${(p) => p.theme.text};
    -webkit-font-smoothing: antialiased; }
  h1, h2, h3, p { margin: 0; font-size: inherit; }
  a { color: inherit; }
  button, input { font: inherit; color: inherit; }
`;
