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
