/** What lies over the view: corners and small cards. */
import styled from "styled-components";

export const Corner = styled.div<{ $at: string }>`
  position: absolute;
  display: flex;
  gap: 8px;
  align-items: center;
  ${(p) => p.$at};
`;
export const Card = styled.div`
  background: ${(p) => p.theme.panel};
  border: 1px solid ${(p) => p.theme.hairline};
  padding: 6px 9px;
  font: 11.5px ${(p) => p.theme.mono};
`;
export const Swatch = styled.span<{ $tone: string }>`
  display: inline-block;
  width: 10px;
  height: 10px;
  background: ${(p) => p.$tone};
  margin-right: 6px;
  border: 1px solid #0002;
`;

/** The controls along the top of the view. It goes on in another row where the view is narrow. */
export const TopTools = styled.div`
  position: absolute;
  top: 10px;
  left: 12px;
  right: 12px;
  display: flex;
  flex-wrap: wrap;
  align-items: flex-start;
  gap: 6px 8px;
  pointer-events: none;
`;
export const Group = styled.div<{ $right?: boolean }>`
  display: flex;
  gap: 8px;
  align-items: center;
  pointer-events: auto;
  ${(p) => (p.$right ? "margin-left: auto;" : "")}
`;
export const Break = styled.div`
  flex-basis: 100%;
`;
