/** The route sheet on paper: what to fix, what to touch off, what to run, with boxes to tick. */
import { useEffect } from "react";
import styled from "styled-components";
import { useJob } from "../api/jobs";
import { findingsOf, jobFindings, toKnow } from "../workspace/findings";
import type { FullPlan, Job, OperationInfo, SetupInfo, Zero } from "../api/types";
import { clock, feedText, lengthText, type Unit } from "../lib/numbers";
import { Button, Said } from "../parts/controls";
import { CutterDrawing } from "../parts/CutterDrawing";
import { Mark } from "../parts/Marks";
import { dayText, realTime } from "../lib/times";
import { SlideDrawing, TurnDrawing } from "../workspace/TurnRow";
import { setupOf, zeroOf } from "../workspace/state";
import { partTitle } from "../workspace/tiles";

const Paper = styled.main`
  & section.next {
    break-before: page;
    margin-top: 26px;
  }
  background: #fff;
  color: #1f2a30;
  max-width: 794px;
  margin: 18px auto;
  padding: 26px 34px;
  border: 1px solid #d9d4c9;
  font-size: 12px;
  & h1 {
    font-size: 20px;
    font-weight: 600;
  }
  & h2 {
    font-size: 13px;
    font-weight: 600;
    margin: 16px 0 5px;
    border-bottom: 1px solid #1f2a30;
    padding-bottom: 2px;
  }
  & .top {
    display: flex;
    justify-content: space-between;
    align-items: baseline;
  }
  & .facts {
    color: #5f6361;
    font: 11.5px ${(p) => p.theme.mono};
  }
  & .two {
    display: grid;
    grid-template-columns: 300px 1fr;
    gap: 22px;
    align-items: start;
  }
  & table {
    width: 100%;
    border-collapse: collapse;
  }
  & th {
    text-align: left;
    font-weight: 500;
    color: #5f6361;
    padding: 2px 8px 2px 0;
  }
  & td {
    border-top: 1px solid #d9d4c9;
    padding: 4px 8px 4px 0;
    vertical-align: middle;
  }
  & .n {
    font-family: ${(p) => p.theme.mono};
    white-space: nowrap;
  }
  & .box {
    display: inline-block;
    width: 12px;
    height: 12px;
    border: 1.3px solid #1f2a30;
  }
  & ul {
    list-style: none;
    margin: 4px 0;
    padding: 0;
    display: grid;
    gap: 5px;
  }
  & li {
    display: flex;
    gap: 8px;
    align-items: center;
  }
  & img {
    width: 100%;
    border: 1px solid #d9d4c9;
  }
  @media print {
    border: 0;
    margin: 0;
    max-width: none;
    padding: 0;
    & .screen {
      display: none;
    }
    & h2,
    & tr,
    & li {
      break-inside: avoid;
      break-after: auto;
    }
  }
`;
const Box = () => <span className="box" aria-hidden />;

const SHARE = { low: 0, centre: 0.5, high: 1 };

/** Where the zero lies, as shares of the stock's box from its low corner; a zero on the bed lies under the stock. */
export function zeroShares(zero: Zero, size: [number, number, number]): [number, number, number] {
  if (zero.at) return [0, 1, 2].map((k) => (zero.at?.[k] ?? 0) / (size[k] as number)) as [number, number, number];
  return [SHARE[zero.x], SHARE[zero.y], zero.z === "top" ? 1 : 0];
}

/** The stock from above and from the front, with the zero on it; of a tile also where it cuts. */
function ZeroDrawing(props: { plan: FullPlan; info: SetupInfo; unit: Unit }) {
  const { stock } = props.plan;
  const { tile, zero_at, size } = props.info;
  const zero_ = tile ? { ...zeroOf(props.plan, props.info.id), at: zero_at } : zeroOf(props.plan, props.info.id);
  const [sx, sy, sz] = zeroShares(zero_ as Zero, [stock.length, stock.width, stock.thickness]);
  const part = tile && tile.core.map((value, k) => value / (size[k % 2] as number));
  const scale = Math.min(250 / stock.length, 150 / stock.width);
  const w = stock.length * scale,
    d = stock.width * scale,
    h = Math.max(stock.thickness * scale, 12);
  const zero = (x: number, y: number) => (
    <g stroke="#A8321F" strokeWidth="1.4" fill="none">
      <circle cx={x} cy={y} r="5" />
      <path d={`M${x - 9} ${y}H${x + 9}M${x} ${y - 9}V${y + 9}`} />
    </g>
  );
  return (
    <svg
      width={w + 44}
      height={d + h + 62}
      role="img"
      aria-label="The stock from above and from the front, with the work zero"
    >
      <g transform="translate(14 14)">
        <rect width={w} height={d} fill="#F3E9D8" stroke="#1F2A30" />
        {part && (
          <rect
            x={(part[0] as number) * w}
            y={(1 - (part[3] as number)) * d}
            width={((part[2] as number) - (part[0] as number)) * w}
            height={((part[3] as number) - (part[1] as number)) * d}
            fill="#8FC1C4"
            stroke="#0F5257"
          />
        )}
        <text x={w / 2} y={d / 2} textAnchor="middle" fontSize="10" fill="#1F2A30">
          from above
        </text>
        {zero(sx * w, (1 - sy) * d)}
        <g transform={`translate(0 ${d + 24})`}>
          <rect width={w} height={h} fill="#F3E9D8" stroke="#1F2A30" />
          {zero(sx * w, (1 - sz) * h)}
          <text x={w / 2} y={h + 16} textAnchor="middle" fontSize="10" fill="#5F6361">
            from the front · {lengthText(stock.length, props.unit)} × {lengthText(stock.width, props.unit)} ×{" "}
            {lengthText(stock.thickness, props.unit)} {props.unit}
          </text>
        </g>
      </g>
    </svg>
  );
}

type Worked = Pick<OperationInfo, "state" | "cutter" | "outline">;

/** What is worked out of a job's operations, finer cutters among it, by the cutters in the order in which they are first needed. */
export function cuttersInOrder<T extends Worked>(operations: T[]): T[] {
  const found = new Map<number, T>();
  for (const item of operations)
    if (item.state !== "off" && !found.has(item.cutter.number)) found.set(item.cutter.number, item);
  return [...found.values()];
}

/** What hands do between two setups, to be ticked off. */
function TurnOver(props: { info: SetupInfo }) {
  const { turn } = props.info;
  if (!turn) return null;
  return (
    <>
      <h2>{turn.slide ? "Slide the board" : "Turn over"}</h2>
      <div className="two">
        {turn.slide ? (
          <SlideDrawing by={props.info.tile?.slid ?? [0, 0]} size={96} />
        ) : (
          <TurnDrawing axis={turn.axis} angle={turn.angle} size={96} />
        )}
        <ul>
          <li>
            <Box /> {turn.words}
          </li>
          {turn.found && (
            <li>
              <Box /> {turn.found}
            </li>
          )}
          <li>
            <Box /> check {turn.check}
          </li>
        </ul>
      </div>
    </>
  );
}

function Setup(props: { job: Job; info: SetupInfo; picture: string | null }) {
  const { job, info } = props;
  const { plan } = job;
  const unit = plan.units ?? "mm";
  const setup = setupOf(plan, info.id);
  const time = realTime(info.time);
  const mine = toKnow(findingsOf(job.derived, info));
  const known = info === job.derived.setups[0] ? [...toKnow(jobFindings(job.derived)), ...mine] : mine;
  return (
    <>
      <div className="two">
        <div>
          <h2>{[setup.name, partTitle(info)].filter(Boolean).join(", ")}</h2>
          {info.tile && <p>cuts {info.tile.words} of the board</p>}
          {props.picture ? (
            <img src={props.picture} alt="The block after the cut" />
          ) : (
            <p>{info.summary ? "" : "No picture yet: it is made when the job is calculated."}</p>
          )}
        </div>
        <div>
          <h2>Zero: {info.zero}</h2>
          <ZeroDrawing plan={plan} info={info} unit={unit} />
        </div>
      </div>
      <h2>Before the start</h2>
      <ul>
        <li>
          <Box /> {plan.stock.material?.name}{" "}
          {[plan.stock.length, plan.stock.width, plan.stock.thickness]
            .map((value) => lengthText(value, unit, "measured"))
            .join(" × ")}{" "}
          {unit}, grain along {(plan.stock.grain ?? "x").toUpperCase()}, measured and fixed
        </li>
        {(setup.keep_outs ?? []).map((item) => (
          <li key={item.id}>
            <Box /> {item.name} at X {lengthText(item.at?.[0] ?? 0, unit, "measured")} Y{" "}
            {lengthText(item.at?.[1] ?? 0, unit, "measured")} from the stock's low corner
          </li>
        ))}
        <li>
          <Box /> zero touched off: {info.zero}
        </li>
      </ul>
      <h2>Cutters</h2>
      <table>
        <thead>
          <tr>
            <th />
            <th>No.</th>
            <th />
            <th>Cutter</th>
            <th>Diameter</th>
            <th>Stickout at least</th>
            <th>Spindle</th>
            <th>Feed</th>
          </tr>
        </thead>
        <tbody>
          {cuttersInOrder(info.operations).map(({ cutter, outline, stickout }) => (
            <tr key={cutter.number}>
              <td>
                <Box />
              </td>
              <td className="n">{cutter.number}</td>
              <td style={{ lineHeight: 0 }}>
                <CutterDrawing section={outline} flutes={cutter.flute_length} diameter={cutter.diameter} height={30} />
              </td>
              <td>{cutter.name}</td>
              <td className="n">{lengthText(cutter.diameter, unit, "measured")}</td>
              <td className="n">
                {lengthText(stickout, unit, "measured")} {unit}
              </td>
              <td className="n">{cutter.spindle}</td>
              <td className="n">
                {feedText(cutter.feed, unit)} {unit}/min
              </td>
            </tr>
          ))}
        </tbody>
      </table>
      <h2>Operations</h2>
      <table>
        <thead>
          <tr>
            <th />
            <th>No.</th>
            <th>Operation</th>
            <th>Cutter</th>
            <th>File</th>
            <th style={{ textAlign: "right" }}>Time</th>
          </tr>
        </thead>
        <tbody>
          {info.operations
            .filter((item) => item.state !== "off")
            .map((item) => (
              <tr key={item.number}>
                <td>
                  <Box />
                </td>
                <td className="n">{item.number}</td>
                <td>
                  {item.title}
                  <div className="facts">{item.line}</div>
                </td>
                <td className="n">{item.cutter.number}</td>
                <td className="n">
                  {(info.programs ?? [])
                    .filter((program) => program.numbers.includes(item.number))
                    .map((program) => program.name)
                    .join(", ") || (info.programs ? "nothing to do here" : "not calculated")}
                </td>
                <td className="n" style={{ textAlign: "right" }}>
                  {item.seconds === null ? `≈ ${clock(item.estimate?.seconds ?? 0)}` : clock(item.seconds)}
                </td>
              </tr>
            ))}
        </tbody>
      </table>
      <p className="facts" style={{ textAlign: "right", marginTop: 6 }}>
        moves {clock(info.time.moves)} · changes {clock(info.time.changes)} · spindle {clock(info.time.waits)} · in all{" "}
        {clock(info.time.total)}
        {time && ` · at this machine ${time}`}
      </p>
      {known.length > 0 && (
        <>
          <h2>To know</h2>
          <ul>
            {known.map((finding) => (
              <li key={finding.code + finding.row}>
                <Mark level={finding.level} />{" "}
                <span>
                  {finding.row}: {finding.text}: {finding.advice}.
                  {finding.overridden && ` Posted all the same: ${finding.overridden}`}
                </span>
              </li>
            ))}
          </ul>
        </>
      )}
      <h2>After</h2>
      <ul>
        <li>
          <Box /> took ________ h ________ min
        </li>
        <li>
          <Box /> cutters back in the rack, one that was worn: ________________
        </li>
      </ul>
    </>
  );
}

export function PrintSheet(props: { id: number }) {
  const { data: job, error } = useJob(props.id);
  useEffect(() => {
    if (job) document.title = `${job.name}, sheet · Nephos`;
  }, [job]);
  if (error && !job) return <Said role="alert">{error.message}</Said>;
  if (!job) return <p style={{ padding: 20 }}>opening the job…</p>;
  const { picture } = job;
  return (
    <Paper>
      <div className="screen" style={{ display: "flex", justifyContent: "flex-end", gap: 8, marginBottom: 10 }}>
        <Button onPress={() => window.location.assign(`/jobs/${job.id}`)}>Back to the job</Button>
        <Button $main onPress={() => window.print()}>
          Print, or save as PDF
        </Button>
      </div>
      <div className="top">
        <h1>{job.name}</h1>
        <span className="facts">
          revision {job.revision} · {job.machine.name} · {dayText(new Date().toISOString())}
        </span>
      </div>
      {job.derived.setups
        .filter((info) => info.operations.some((item) => item.state !== "off") || job.derived.setups.length === 1)
        .map((info, k) => (
          <section key={info.id} className={k > 0 ? "next" : ""}>
            {info.turn && <TurnOver info={info} />}
            <Setup job={job} info={info} picture={k === job.derived.setups.length - 1 ? picture : null} />
          </section>
        ))}
    </Paper>
  );
}
