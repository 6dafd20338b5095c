/** The run strip: the machining time laid out, to be dragged through. */
import { useQuery } from "@tanstack/react-query";
import { useEffect, useState } from "react";
import { Slider } from "react-aria-components";
import { lineOfMove } from "../api/results";
import { clock, feedText, lengthText } from "../lib/numbers";
import { inAllText, realTime } from "../lib/times";
import { Button, Choose, Quiet } from "../parts/controls";
import { Mark } from "../parts/Marks";
import type { OperationData } from "../view/data";
import { KINDS, type Moment } from "../view/moment";
import { infoOf, setupOf, useSheetState, withWork } from "./state";
import { partsOf, partTitle, shortTitle } from "./tiles";
import { EstimatedStrip } from "./EstimatedStrip";
import { AllSetups, Band, Blocks, Gap, Needle, Other, Strip, TimeScale } from "./stripParts";
import { TimeDialog } from "./TimeDialog";

/** The setups before the one that is shown, or after it, with the turn-overs as gaps: pressed, one is shown. */
function OtherSetups(props: { before: boolean }) {
  const { plan, derived, setupId, choose, external } = useSheetState();
  const worked = withWork(plan).flatMap((setup) => partsOf(derived, setup.id));
  const at = worked.findIndex((info) => info.id === infoOf(derived, setupId)?.id);
  if (external || at < 0) return null;
  const others = props.before ? worked.slice(0, at) : worked.slice(at + 1);
  return others.map((info, k) => {
    const time = info.time.total;
    // The slide or the turn that leads to the later one of the two.
    const later = props.before ? worked[k + 1] : info;
    const turn = <Gap aria-hidden>{later?.turn?.slide ? "⇤" : "↻"}</Gap>;
    const name = [setupOf(plan, info.id).name, partTitle(info)].filter(Boolean).join(", ");
    return (
      <span key={info.id} style={{ display: "flex" }}>
        {!props.before && turn}
        <Other aria-label={`Show ${name}, ${clock(time)}`} onPress={() => choose({ kind: "setup", id: info.id })}>
          {shortTitle(info)} {clock(time)}
        </Other>
        {props.before && turn}
      </span>
    );
  });
}

function useCodeLine(moment: Moment | null): string {
  const { derived, external, setupId } = useSheetState();
  const info = infoOf(derived, setupId);
  const number = moment?.data.number ?? null,
    move = moment?.move ?? null;
  // Operation and move wait together: the move of one is none of another's.
  const [settled, setSettled] = useState<{ number: number; move: number } | null>(null);
  useEffect(() => {
    const timer = setTimeout(() => setSettled(number === null || move === null ? null : { number, move }), 40);
    return () => clearTimeout(timer);
  }, [number, move]);
  const { data } = useQuery({
    queryKey: ["line", info?.files_key, settled?.number, settled?.move],
    // While another setup comes into view, the moment is still one of the setup before.
    enabled:
      Boolean(info?.programs) &&
      !external &&
      settled !== null &&
      (info?.operations.some((item) => item.number === settled.number) ?? false),
    queryFn: () => lineOfMove(info?.files_key ?? "", settled?.number ?? 0, settled?.move ?? 0),
    placeholderData: (before) => before,
    staleTime: Infinity,
    gcTime: 10_000,
  });
  return external ? "" : (data?.text ?? "");
}

const SPEEDS = { 1: "×1", 10: "×10", 60: "×60", 300: "×300", 1500: "×1500" };

/** The moment one operation on or back, from the start of the program. */
export function stepOperation(list: { seconds: number }[], time: number, by: 1 | -1): number {
  const ends = list.reduce<number[]>((sum, item) => [...sum, (sum[sum.length - 1] as number) + item.seconds], [0]);
  if (by > 0) return ends.find((end) => end > time + 1e-6) ?? (ends[ends.length - 1] as number);
  return [...ends].reverse().find((end) => end < time - 1e-6) ?? 0;
}

/** Where in the program another cutter is put in: the moment (s), and the cutter. */
export function cutterChanges<C extends { number: number }>(
  list: { number: number; seconds: number }[],
  cutterOf: (operation: number) => C | undefined,
): { at: number; cutter: C }[] {
  const found: { at: number; cutter: C }[] = [];
  let at = 0,
    before: number | undefined;
  for (const item of list) {
    const cutter = cutterOf(item.number);
    if (cutter && before !== undefined && cutter.number !== before) found.push({ at, cutter });
    before = cutter?.number ?? before;
    at += item.seconds;
  }
  return found;
}

/** So much (s) before its end a move is looked at, so that it is that one and not the next. */
const JUST = 1e-4;

/** The moment at which the move before is all but done, or the next one. */
export function stepMove(
  list: { seconds: number; ends: ArrayLike<number> }[],
  moment: { index: number; move: number },
  time: number,
  by: 1 | -1,
): number {
  const start = list.slice(0, moment.index).reduce((sum, item) => sum + item.seconds, 0);
  const ends = list[moment.index]?.ends ?? [];
  for (let k = moment.move; k >= 0 && k < ends.length; k += by) {
    const at = start + (ends[k] as number) - JUST;
    if (by > 0 ? at > time + JUST / 10 : at < time - 2 * JUST) return at;
  }
  return by > 0 ? start + (list[moment.index]?.seconds ?? 0) + JUST : Math.max(start - JUST, 0);
}

export function RunStrip(props: {
  list: OperationData[];
  total: number;
  time: number;
  moment: Moment | null;
  onTime: (time: number) => void;
}) {
  const { derived, plan, external, setupId } = useSheetState();
  const { list, total, moment } = props;
  const [playing, setPlaying] = useState(false);
  const line = useCodeLine(moment);
  const unit = plan.units ?? "mm",
    lineUnit = external ? null : infoOf(derived, setupId)?.post_unit;
  const [chosenSpeed, setSpeed] = useState<number | null>(null);
  const [asking, setAsking] = useState(false);
  const speed = chosenSpeed ?? (total > 3600 ? 300 : 60);
  const { time, onTime } = props;
  useEffect(() => {
    if (!playing) return undefined;
    const timer = setTimeout(() => {
      const next = time + 0.1 * speed;
      if (next >= total) setPlaying(false);
      onTime(Math.min(next, total));
    }, 100);
    return () => clearTimeout(timer);
  }, [playing, time, total, speed, onTime]);
  if (!total) return <EstimatedStrip />;
  const step = (to: number) => {
    setPlaying(false);
    onTime(to >= total - 1e-6 ? Infinity : to);
  };
  const own = infoOf(derived, setupId)?.time;
  const real = own && !external ? realTime(own) : "";
  const all = own && !external ? inAllText(own, total) : "";
  const length = `of ${clock(total)}${real ? ` · ${real.split(",")[0]}` : all}`;
  const changes = external
    ? []
    : cutterChanges(
        list,
        (number) => infoOf(derived, setupId)?.operations.find((item) => item.number === number)?.cutter,
      );
  const pins = (external?.proof.findings ?? infoOf(derived, setupId)?.findings ?? []).filter(
    (finding) => finding.moment !== null,
  );
  return (
    <Strip aria-label="Run strip">
      <TimeDialog open={asking} onClose={() => setAsking(false)} />
      <div className="now">
        <div className="clock">
          <span className="steps">
            <Quiet aria-label="Operation before" onPress={() => step(stepOperation(list, time, -1))}>
              ⇤
            </Quiet>
            <Quiet
              aria-label="Move before"
              isDisabled={!moment}
              onPress={() => moment && step(stepMove(list, moment, time, -1))}
            >
              ‹
            </Quiet>
            <Button
              aria-label={playing ? "Pause" : "Play"}
              onPress={() => {
                if (!playing && time >= total) onTime(0);
                setPlaying(!playing);
              }}
            >
              {playing ? "❚❚" : "▶"}
            </Button>
            <Quiet
              aria-label="Next move"
              isDisabled={!moment}
              onPress={() => moment && step(stepMove(list, moment, time, 1))}
            >
              ›
            </Quiet>
            <Quiet aria-label="Next operation" onPress={() => step(stepOperation(list, time, 1))}>
              ⇥
            </Quiet>
          </span>
          <span data-testid="clock">{clock(time)}</span>
        </div>
        <div className="of">
          <Quiet
            aria-label={`${length}: where the time goes`}
            onPress={() => setAsking(true)}
            style={{ marginLeft: -5 }}
          >
            {length}
          </Quiet>
          <div style={{ width: 92 }}>
            <Choose
              wide
              label="Speed"
              value={String(speed)}
              choices={SPEEDS as Record<string, string>}
              onChange={(value) => setSpeed(Number(value))}
            />
          </div>
        </div>
        <div className="code" data-testid="code-line">
          {line || "\u00a0"}
        </div>
        {moment && (
          <div className="code">
            op {moment.data.number} · {KINDS[moment.kind]} ·{" "}
            {moment.feed ? `${feedText(moment.feed, unit)} ${unit}/min` : "rapid"} ·{" "}
            {lineUnit && lineUnit !== unit ? `file in ${lineUnit} · ` : ""}Z{" "}
            {lengthText(moment.at[2] - (infoOf(derived, setupId)?.zero_at[2] ?? 0), unit, "fine")} {unit}
          </div>
        )}
      </div>
      <AllSetups>
        <OtherSetups before />
        <div className="own">
          <Slider
            aria-label="Moment of the program"
            minValue={0}
            maxValue={total}
            step={total / 5000}
            value={time}
            onChange={(value) => {
              setPlaying(false);
              onTime((value as number) >= total * 0.9998 ? Infinity : (value as number));
            }}
          >
            <Band>
              <Blocks list={list} total={total} />
              {changes.map(({ at, cutter }) => (
                <span
                  key={at}
                  className="change"
                  data-testid="change"
                  style={{ left: `${(100 * at) / total}%` }}
                  title={`here cutter ${cutter.number} is put in, ${lengthText(cutter.diameter, unit)} ${unit} ${cutter.shape}`}
                />
              ))}
              {pins.map((finding) => (
                <span
                  key={finding.code + finding.row}
                  className="pin"
                  style={{ left: `${(100 * (finding.moment as number)) / total}%` }}
                  title={finding.text}
                >
                  <Mark level={finding.level} />
                </span>
              ))}
              <Needle />
            </Band>
          </Slider>
          <TimeScale total={total} />
        </div>
        <OtherSetups before={false} />
      </AllSetups>
    </Strip>
  );
}
