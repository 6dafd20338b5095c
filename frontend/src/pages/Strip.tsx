/** A line under the top bar that says what is going on. */
import styled from "styled-components";

export const Strip = styled.div`
  padding: 8px 24px;
  display: flex;
  gap: 14px;
  align-items: center;
  background: ${(p) => p.theme.chosen};
  border-bottom: 1px solid ${(p) => p.theme.hairline};
  & progress {
    width: 220px;
    accent-color: ${(p) => p.theme.action};
  }
`;
