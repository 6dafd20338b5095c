/** What the run strip is drawn with: its bands, blocks, needle and scale. */
import { Button as AriaButton, SliderThumb, SliderTrack } from "react-aria-components";
import styled, { css } from "styled-components";
import { clock } from "../lib/numbers";
import { useSheetState } from "./state";

export const Strip = styled.footer`
  display: grid;
  grid-template-columns: 344px 1fr;
  @media (max-width: 1200px) {
    grid-template-columns: 300px 1fr;
  }
  background: ${(p) => p.theme.panel};
  border-top: 1px solid ${(p) => p.theme.hairline};
  & .now {
    padding: 5px 14px 0;
    display: grid;
    gap: 1px;
    align-content: start;
  }
  & .clock {
    display: flex;
    align-items: center;
    gap: 9px;
    font: 17px ${(p) => p.theme.mono};
  }
  & .of {
    display: flex;
    justify-content: space-between;
    align-items: center;
  }
  & .of,
  & .of button {
    font: 12px ${(p) => p.theme.mono};
    color: ${(p) => p.theme.muted};
  }
  & .of > div button {
    min-height: 21px;
    padding: 1px 8px;
  }
  & .steps {
    display: flex;
  }
  & .steps button {
    padding: 1px 6px;
  }
  & .code {
    font: 11.5px/16px ${(p) => p.theme.mono};
    color: ${(p) => p.theme.muted};
    white-space: nowrap;
    overflow: hidden;
    text-overflow: ellipsis;
  }
`;
const blocks = css`
  & .blocks {
    position: absolute;
    left: 0;
    right: 0;
    top: 18px;
    height: 26px;
    display: flex;
    border: 1px solid ${(p) => p.theme.ink};
    background: ${(p) => p.theme.panel};
  }
  & .block {
    border-right: 1px solid ${(p) => p.theme.ink};
    font: 11.5px/24px ${(p) => p.theme.mono};
    padding-left: 6px;
    overflow: hidden;
    min-width: 1px;
  }
  & .block:last-child {
    border-right: 0;
  }
  & .block.chosen {
    background: ${(p) => p.theme.chosen};
  }
`;
export const Band = styled(SliderTrack)`
  height: 62px;
  margin: 8px 14px 0 0;
  position: relative;
  cursor: col-resize;
  ${blocks}
  & .change {
    position: absolute;
    top: 15px;
    height: 32px;
    width: 7px;
    transform: translateX(-50%);
    border: 1px solid ${(p) => p.theme.ink};
    background: repeating-linear-gradient(135deg, ${(p) => p.theme.panel} 0 2px, ${(p) => p.theme.ink} 2px 3px);
  }
  & .pin {
    position: absolute;
    top: 2px;
    transform: translateX(-50%);
  }
`;
/** As the band of calculated operations, of estimated times. */
export const EstimatedBand = styled.div`
  height: 62px;
  margin: 8px 14px 0 0;
  position: relative;
  ${blocks}
  & .blocks {
    border-style: dashed;
    color: ${(p) => p.theme.muted};
  }
  & .block {
    border-right-style: dashed;
  }
`;
export const Needle = styled(SliderThumb)`
  top: 31px;
  width: 2px;
  height: 44px;
  background: ${(p) => p.theme.action};
  &[data-focus-visible] {
    outline: 2px solid ${(p) => p.theme.action};
    outline-offset: 2px;
  }
`;
export const AllSetups = styled.div`
  display: flex;
  min-width: 0;
  & > .own {
    flex: 1;
    min-width: 0;
  }
`;
export const Other = styled(AriaButton)`
  flex: 0 0 78px;
  height: 28px;
  margin: 25px 0 0;
  padding: 0 5px;
  overflow: hidden;
  white-space: nowrap;
  border: 1px solid ${(p) => p.theme.muted};
  background: ${(p) => p.theme.ground};
  color: ${(p) => p.theme.muted};
  font: 11.5px/26px ${(p) => p.theme.mono};
  text-align: left;
  cursor: pointer;
  outline: none;
  &[data-focus-visible] {
    outline: 2px solid ${(p) => p.theme.action};
  }
`;
export const Gap = styled.span`
  flex: 0 0 20px;
  margin-top: 29px;
  text-align: center;
  color: ${(p) => p.theme.muted};
`;

const Scale = styled.div`
  position: relative;
  height: 18px;
  margin-right: 14px;
  font: 11px ${(p) => p.theme.mono};
  color: ${(p) => p.theme.muted};
  & span {
    position: absolute;
    transform: translateX(-50%);
    white-space: nowrap;
  }
  & span:first-child {
    transform: none;
  }
  & span:last-child {
    transform: translateX(-100%);
  }
`;

/** The moments that the scale names: from the start in even steps, and the end, which has room for its own name before it. */
export function ticks(total: number): number[] {
  const step = [60, 120, 300, 600, 900, 1800, 3600, 7200, 14400].find((value) => total / value <= 6) ?? 28800;
  const found = [];
  for (let at = 0; at <= total * 0.9; at += step) found.push(at);
  return [...found, total];
}

/** The scale under a band that is `total` seconds long. */
export function TimeScale(props: { total: number }) {
  return (
    <Scale>
      {ticks(props.total).map((at) => (
        <span key={at} style={{ left: `${(100 * at) / props.total}%` }}>
          {clock(at)}
        </span>
      ))}
    </Scale>
  );
}

/** Operations as blocks as long as they take; the chosen one is marked. */
export function Blocks(props: { list: { number: number; seconds: number }[]; total: number }) {
  const { chosen } = useSheetState();
  return (
    <div className="blocks">
      {props.list.map((item) => (
        <div
          key={item.number}
          className={chosen.kind === "operation" && chosen.number === item.number ? "block chosen" : "block"}
          style={{ flex: `${item.seconds} 0 0` }}
          title={`operation ${item.number}, ${clock(item.seconds)}`}
        >
          {item.seconds > 0.025 * props.total ? item.number : ""}
        </div>
      ))}
    </div>
  );
}
