/** What the rows of the route sheet are made of. */
import { useEffect, useRef, type ReactNode } from "react";
import { Button as AriaButton } from "react-aria-components";
import styled from "styled-components";
import { findingHelp, openHelp } from "../help/address";
import type { Finding } from "../api/types";
import { Quiet } from "../parts/controls";
import { Mark } from "../parts/Marks";
import { useSheetState } from "./state";

export const Line = styled.div<{ $chosen?: boolean; $off?: boolean }>`
  display: grid;
  grid-template-columns: 34px 22px 1fr auto;
  gap: 0 8px;
  align-items: start;
  padding: 9px 12px 9px 14px;
  position: relative;
  border-bottom: 1px solid ${(p) => p.theme.hairline};
  background: ${(p) => (p.$chosen ? p.theme.chosen : "none")};
  box-shadow: ${(p) => (p.$chosen ? `inset 3px 0 0 ${p.theme.action}` : "none")};
  & > * {
    opacity: ${(p) => (p.$off ? 0.5 : 1)};
  }
  & .number {
    font: 12px/18px ${(p) => p.theme.mono};
    color: ${(p) => p.theme.muted};
  }
  & .key {
    font: 11.5px/16px ${(p) => p.theme.mono};
    color: ${(p) => p.theme.muted};
  }
  & .right {
    text-align: right;
    font: 11.5px/18px ${(p) => p.theme.mono};
    max-width: 112px;
  }
  & .state {
    font: 11.5px/15px ${(p) => p.theme.text};
    color: ${(p) => p.theme.muted};
  }
  & .wide {
    grid-column: 3 / -1;
  }
  & > .number {
    grid-area: 1 / 1;
  }
  & > svg {
    grid-area: 1 / 2 / span 2;
  }
`;
export const Pick = styled(AriaButton)`
  border: 0;
  background: none;
  text-align: left;
  padding: 0;
  cursor: pointer;
  font-weight: 600;
  outline: none;
  grid-area: 1 / 3;
  &::after {
    content: "";
    position: absolute;
    inset: 0;
  }
  &[data-focus-visible]::after {
    outline: 2px solid ${(p) => p.theme.action};
    outline-offset: -2px;
  }
`;
const ToolBar = styled.div`
  grid-column: 3 / -1;
  display: flex;
  flex-wrap: wrap;
  gap: 0 2px;
  position: relative;
  z-index: 1;
  margin: 4px 0 -4px -5px;
  & button {
    font-size: 12px;
  }
`;

/** What can be done with the chosen row, at its foot; it comes into sight with the row above it. */
export function Tools(props: { children: ReactNode }) {
  const bar = useRef<HTMLDivElement>(null);
  // Nothing is returned: browsers may give a promise, which is no cleaning up.
  useEffect(() => {
    bar.current?.scrollIntoView?.({ block: "nearest" });
  }, []);
  return <ToolBar ref={bar}>{props.children}</ToolBar>;
}

export const Told = styled.div`
  grid-column: 3 / -1;
  display: flex;
  gap: 6px;
  align-items: baseline;
  font-size: 12px;
  margin-top: 4px;
  position: relative;
  z-index: 1;
`;
const FixButton = styled(Quiet)`
  position: relative;
  z-index: 1;
  display: inline-block;
  padding: 0 5px;
  margin: 1px 0 1px 5px;
  border: 1px solid ${(p) => p.theme.hairline};
  color: ${(p) => p.theme.action};
`;

export function Findings(props: { row: string; list: Finding[] }) {
  const { edit, goTo } = useSheetState();
  return (
    <>
      {props.list
        .filter((finding) => finding.row === props.row)
        .map((finding) => (
          <Told key={finding.code}>
            <Mark level={finding.level} size={10} />
            <span>
              {finding.text}: {finding.advice}.{finding.overridden && <> Overridden: {finding.overridden}.</>}
              {(finding.place ?? finding.moment) !== null && (
                <FixButton
                  aria-label={`Show where: ${finding.text}`}
                  onPress={() => goTo(finding.place, finding.moment)}
                >
                  Show
                </FixButton>
              )}
              {finding.fixes.map((fix) => (
                <FixButton key={fix.label} onPress={() => edit(fix.edit, fix.label.toLowerCase())}>
                  {fix.label}
                </FixButton>
              ))}
              <FixButton aria-label={`Help on: ${finding.text}`} onPress={() => openHelp(findingHelp(finding.code))}>
                ?
              </FixButton>
            </span>
          </Told>
        ))}
    </>
  );
}
