/** The settings of an operation: most used first, the rest folded. */
import styled, { keyframes, useTheme } from "styled-components";
import { useCutters, useStrategies } from "../../api/shop";
import type { Feeds, Limit, Operation, OperationInfo, SettingField, Settings } from "../../api/types";
import { clock, feedText, lengthText, type Unit } from "../../lib/numbers";
import { Choose, Quiet, Said, ToggleQuiet } from "../../parts/controls";
import { NumberField } from "../../parts/fields";
import { boundaryChoices, setupOf, useSheetState, withOperation } from "../state";
import { joinedOperation, partsOf } from "../tiles";
import { TabList } from "./TabList";
import { Buttons, Folded } from "./shared";

const across = keyframes`from { left: 0; right: 85%; } to { left: 85%; right: 0; }`;
// What is answered within a tenth of a second is not seen to be asked for.
const Costs = styled.div`
  display: grid;
  grid-template-columns: repeat(3, 1fr);
  border: solid ${(p) => p.theme.hairline};
  border-width: 1px 0;
  padding: 7px 0;
  margin: 8px 0;
  position: relative;
  & dt {
    font-size: 11.5px;
    color: ${(p) => p.theme.muted};
  }
  & dd {
    margin: 0;
    font: 13px ${(p) => p.theme.mono};
  }
  &[aria-busy="true"] dd {
    color: ${(p) => p.theme.muted};
    transition: color 0s 0.1s;
  }
  &[aria-busy="true"]::after {
    content: "";
    position: absolute;
    top: -1px;
    left: 0;
    right: 100%;
    height: 1px;
    background: ${(p) => p.theme.action};
    animation: ${across} 0.7s 0.1s ease-in-out infinite alternate;
  }
`;

const COOLANT = { none: "none", mist: "mist", flood: "flood" };
const CONTAIN = { outside: "past by radius", centre: "centre on it", inside: "edge inside" };

function CostCurve(props: { info: OperationInfo; stepover: number }) {
  const theme = useTheme();
  const { plan } = useSheetState();
  const curve = props.info.curve ?? [];
  if (curve.length < 2 || !props.info.estimate) return null;
  const seconds = props.info.seconds ?? props.info.estimate.seconds;
  const last = (curve.at(-1) as [number, number])[0];
  const most = Math.max(
    (curve.find(([step]) => step > last / 12) ?? (curve[0] as [number, number]))[1],
    seconds * 1.15,
  );
  const x = (v: number) => 8 + (262 * v) / last,
    y = (v: number) => 78 - (66 * v) / most;
  const at = [x(props.stepover), y(Math.max(seconds, 1))] as const;
  const inside = at[0] > 4 && at[0] < 280;
  return (
    <svg
      viewBox="0 0 288 94"
      width="100%"
      role="img"
      aria-label="Time over stepover"
      style={{ font: `10px ${theme.mono}` }}
    >
      <path d="M8 8 V78 H280" fill="none" stroke={theme.hairline} />
      <path
        d={`M ${curve
          .filter(([, t]) => t <= most)
          .map(([s, t]) => `${x(s).toFixed(1)} ${y(t).toFixed(1)}`)
          .join(" L ")}`}
        fill="none"
        stroke={theme.action}
        strokeWidth={1.4}
      />
      {inside && <circle cx={at[0]} cy={at[1]} r={4} fill={theme.action} />}
      {inside && (
        <text x={Math.min(at[0] + 8, 190)} y={Math.max(at[1] - 6, 10)} fill={theme.ink}>
          {lengthText(props.stepover, plan.units ?? "mm")} → {clock(seconds)}
        </text>
      )}
      <text x={12} y={10} fill={theme.muted}>
        time
      </text>
      <text x={230} y={90} fill={theme.muted}>
        stepover
      </text>
    </svg>
  );
}

/** What a folded group of settings says of itself: those that are not the default. */
export function foldText(fields: [string, SettingField][], settings: Settings, unit: Unit): string {
  const own = fields.filter(([name, field]) => settings[name] !== undefined && settings[name] !== field.default);
  const shown = own.map(([name, field]) => {
    const value = settings[name];
    if (typeof value !== "number")
      return `${field.title.toLowerCase()}: ${field.names?.[String(value)] ?? String(value)}`;
    return `${field.title.toLowerCase()} ${field.unit === "mm" ? lengthText(value, unit) : `${value}${field.unit ?? ""}`}`;
  });
  return shown.join(" · ") || "default";
}

function Setting(props: { name: string; field: SettingField; operation: Operation }) {
  const { plan, live, keep } = useSheetState();
  const { name, field, operation } = props;
  const value = operation.settings[name] ?? field.default;
  const changed = (next: number | string | boolean) =>
    withOperation(plan, operation.number, { settings: { ...operation.settings, [name]: next } });
  if (field.names)
    return (
      <Choose
        label={field.title}
        value={String(value)}
        choices={field.names}
        onChange={(next) => keep(changed(next), field.title.toLowerCase())}
      />
    );
  const length = field.unit === "mm";
  const limits = {
    ...(field.minimum !== undefined && { low: field.minimum }),
    ...(field.exclusiveMinimum !== undefined && { over: field.exclusiveMinimum }),
    ...(field.maximum !== undefined && { high: field.maximum }),
  };
  return (
    <NumberField
      label={field.title}
      help={field.description}
      value={Number(value)}
      unit={plan.units ?? "mm"}
      kind={length ? "length" : "angle"}
      {...(length ? {} : { suffix: field.unit ?? "" })}
      step={field.step ?? 1}
      {...limits}
      onLive={(next) => next !== null && live(changed(next))}
      onChange={(next) => next !== null && keep(changed(next), field.title.toLowerCase())}
    />
  );
}

/** Whether feeds are offered without opening their group: the operation has its own, and others would be proposed now. */
export const offersFeeds = (feeds: Pick<Feeds, "own" | "sum" | "proposed_sum">): boolean =>
  feeds.own.length > 0 && feeds.sum !== feeds.proposed_sum;

export function OperationSettings(props: { operation: Operation }) {
  const { plan, derived, keep, edit, problem, looking, setupId } = useSheetState();
  const { operation } = props;
  const unit = plan.units ?? "mm";
  const { data: strategies } = useStrategies();
  const { data: cutters } = useCutters();
  const kind = strategies?.find((item) => item.key === operation.strategy);
  const info = joinedOperation(partsOf(derived, setupOf(plan, setupId).id), operation.number);
  if (!kind || !cutters) return null;
  const fields = Object.entries(kind.schema.properties).filter(([, field]) => !field.own);
  const folds = [...new Set(fields.map(([, field]) => field.fold ?? "").filter(Boolean))];
  const usable = cutters.filter((row) => kind.shapes.includes(row.data.shape));
  const mine = usable.find((row) => JSON.stringify(row.data) === JSON.stringify(operation.cutter));
  const choices = Object.fromEntries([
    ...(mine ? [] : [["own", `${operation.cutter.name} (as in job)`]]),
    ...usable.map((row) => [String(row.id), row.data.name]),
  ]);
  const limit = operation.boundary as Limit;
  const change = (part: Partial<Operation>, note: string) => keep(withOperation(plan, operation.number, part), note);
  const feed = operation.feed ?? operation.cutter.feed,
    plunge = operation.plunge_feed ?? operation.cutter.plunge_feed,
    spindle = operation.spindle ?? operation.cutter.spindle;
  const others = (plan.boundaries ?? [])
    .filter((item) => item.id !== limit.boundary)
    .map((item) => [item.id, item.name] as const);
  const siblings = setupOf(plan, setupId).operations.filter((item) => item.number !== operation.number);
  const own = (key: string, label: string) => (info?.feeds.own.includes(key) ? `${label} •` : label);
  const e = info?.estimate;
  const finer = usable.filter((item) => item.data.diameter < operation.cutter.diameter);
  return (
    <>
      <h2>
        {operation.number} {kind.title}
      </h2>
      <p className="sub">{kind.summary}</p>
      <Choose
        roomy
        label="Cutter"
        value={mine ? String(mine.id) : "own"}
        choices={choices}
        onChange={(id) => {
          const row = usable.find((item) => String(item.id) === id);
          if (row) change({ cutter: row.data }, "cutter");
        }}
      />
      {"rest" in operation.settings && finer.length > 0 && (
        <Choose
          roomy
          label="Finer cutter"
          value={
            operation.fine
              ? String(finer.find((item) => item.data.number === operation.fine?.number)?.id ?? "none")
              : "none"
          }
          choices={{ none: "none", ...Object.fromEntries(finer.map((item) => [String(item.id), item.data.name])) }}
          onChange={(id) =>
            change({ fine: finer.find((item) => String(item.id) === id)?.data ?? null }, "a finer cutter")
          }
        />
      )}
      <Choose
        label="Boundary"
        value={limit.boundary}
        choices={boundaryChoices(plan)}
        onChange={(boundary) => change({ boundary: { ...limit, boundary } }, "boundary")}
      />
      {operation.strategy !== "cut_out" && (
        <>
          <Choose
            label="The cutter stays"
            value={limit.contain}
            choices={CONTAIN}
            onChange={(contain) => change({ boundary: { ...limit, contain: contain as "inside" } }, "containment")}
          />
          <NumberField
            label="Offset"
            unit={unit}
            value={limit.offset}
            low={-500}
            high={500}
            step={0.5}
            help="outwards; negative inwards"
            onChange={(offset) => offset !== null && change({ boundary: { ...limit, offset } }, "margin")}
          />
        </>
      )}
      {fields
        .filter(([, field]) => !field.fold)
        .map(([name, field]) => (
          <Setting key={`${operation.number}${name}`} name={name} field={field} operation={operation} />
        ))}
      {problem && <Said role="alert">{problem}</Said>}
      {e && (
        <Costs as="dl" aria-busy={looking}>
          {e.scallop !== null ? (
            <div>
              <dt>scallop</dt>
              <dd>{lengthText(e.scallop, unit, "fine")}</dd>
            </div>
          ) : (
            <div>
              <dt>layers</dt>
              <dd>{e.layers}</dd>
            </div>
          )}
          <div>
            <dt>{typeof info?.seconds === "number" ? "time" : "time, about"}</dt>
            <dd>{clock(info?.seconds ?? e.seconds)}</dd>
          </div>
          <div>
            <dt>lines</dt>
            <dd>{e.lines}</dd>
          </div>
        </Costs>
      )}
      {info && typeof operation.settings.stepover === "number" && (
        <CostCurve info={info} stepover={operation.settings.stepover} />
      )}
      {info && offersFeeds(info.feeds) && (
        <>
          <p className="sub">
            The feeds are this operation's own: {info.feeds.sum}. For {plan.stock.material?.name}:{" "}
            {info.feeds.proposed_sum}.
          </p>
          <Buttons>
            <Quiet onPress={() => change(info.feeds.proposed, "proposed feeds")}>Take the proposed feeds</Quiet>
          </Buttons>
        </>
      )}
      <Folded
        title="Feed and speed"
        short={`${info?.feeds.own.length ? "own · " : ""}${feedText(feed, unit)} / ${feedText(plunge, unit)} · ${spindle}`}
      >
        <NumberField
          label={own("feed", "Feed")}
          kind="feed"
          unit={unit}
          value={operation.feed ?? null}
          empty={feedText(operation.cutter.feed, unit)}
          over={0}
          high={100000}
          step={100}
          onChange={(value) => change({ feed: value }, "feed")}
        />
        <NumberField
          label={own("plunge_feed", "Plunge feed")}
          kind="feed"
          unit={unit}
          value={operation.plunge_feed ?? null}
          empty={feedText(operation.cutter.plunge_feed, unit)}
          over={0}
          high={100000}
          step={50}
          onChange={(value) => change({ plunge_feed: value }, "plunge feed")}
        />
        <NumberField
          label={own("spindle", "Spindle")}
          kind="plain"
          suffix="/min"
          unit={unit}
          value={operation.spindle ?? null}
          empty={String(operation.cutter.spindle)}
          over={0}
          high={200000}
          step={500}
          onChange={(value) => change({ spindle: value }, "spindle")}
        />
        <Choose
          label="Coolant"
          value={operation.coolant ?? "none"}
          choices={COOLANT}
          onChange={(coolant) => change({ coolant: coolant as "none" }, "coolant")}
        />
        <p className="sub">
          Empty means as the cutter says.{info?.feeds.own.length ? " Marked numbers are this operation's own." : ""}
        </p>
        {info && <p className="sub">Now {info.feeds.sum}.</p>}
        {info && (
          <p className="sub">
            For {plan.stock.material?.name}: {info.feeds.proposed_sum}
            {info.feeds.kept.length ? `, kept to ${info.feeds.kept.join(" and ")}` : ""}.
          </p>
        )}
        {info && (
          <Buttons>
            <Quiet onPress={() => change(info.feeds.proposed, "proposed feeds")}>Take the proposed feeds</Quiet>
            <Quiet
              isDisabled={!info.feeds.own.length}
              onPress={() => change({ feed: null, plunge_feed: null, spindle: null }, "feeds as the cutter says")}
            >
              As the cutter says
            </Quiet>
          </Buttons>
        )}
      </Folded>
      {operation.strategy === "cut_out" && info && <TabList operation={operation} info={info} />}
      {kind.key !== "drill" && kind.key !== "pocket" && operation.strategy !== "cut_out" && (
        <Folded
          title="Depth"
          short={`${operation.cut_from ? `from ${lengthText(operation.cut_from, unit)} ` : ""}${operation.cut_to ? `to ${lengthText(operation.cut_to, unit)}` : "to the foot"}`}
        >
          <NumberField
            label="Cut from"
            unit={unit}
            value={operation.cut_from ?? null}
            empty="top"
            low={0}
            high={10000}
            help="highest, from the top of the stock down"
            onChange={(cut_from) => change({ cut_from }, "depth")}
          />
          <NumberField
            label="Cut to"
            unit={unit}
            value={operation.cut_to ?? null}
            empty="foot"
            over={0}
            high={10000}
            help="deepest, from the top of the stock down"
            onChange={(cut_to) => change({ cut_to }, "depth")}
          />
        </Folded>
      )}
      {operation.strategy !== "cut_out" && others.length > 0 && (
        <Folded
          title="Kept out of"
          short={limit.without.map((id) => others.find(([key]) => key === id)?.[1] ?? id).join(", ") || "nothing"}
        >
          <Buttons>
            {others.map(([id, name]) => (
              <ToggleQuiet
                key={id}
                isSelected={limit.without.includes(id)}
                onChange={(on) =>
                  change(
                    {
                      boundary: {
                        ...limit,
                        without: on ? [...limit.without, id] : limit.without.filter((key) => key !== id),
                      },
                    },
                    "masked areas",
                  )
                }
              >
                {name}
              </ToggleQuiet>
            ))}
          </Buttons>
        </Folded>
      )}
      {folds.map((fold) => (
        <Folded
          key={fold}
          title={fold}
          short={foldText(
            fields.filter(([, field]) => field.fold === fold),
            operation.settings,
            unit,
          )}
        >
          {fields
            .filter(([, field]) => field.fold === fold)
            .map(([name, field]) => (
              <Setting key={`${operation.number}${name}`} name={name} field={field} operation={operation} />
            ))}
        </Folded>
      ))}
      {siblings.length > 0 && (
        <Folded title="Copy these settings" short="">
          <Buttons>
            {siblings.map((other) => (
              <Quiet
                key={other.number}
                onPress={() =>
                  edit(
                    {
                      do: "copy_settings",
                      setup: setupOf(plan, setupId).id,
                      source: operation.number,
                      target: other.number,
                    },
                    "copy settings",
                  )
                }
              >
                to {other.number}
              </Quiet>
            ))}
          </Buttons>
        </Folded>
      )}
    </>
  );
}
