/** What a cutter leaves of a relief: how much, how wide, and where. */
import { useCutters } from "../../../api/shop";
import { useReliefReach } from "../../../api/reliefs";
import type { Composition, Cutter } from "../../../api/types";
import { lengthText, type Unit } from "../../../lib/numbers";
import type { ReachHead } from "../../../lib/relief";
import { Choose, Said } from "../../../parts/controls";
import { useSheetState } from "../../state";
import { Folded, Note } from "../shared";

/** What a cutter leaves, in a sentence. */
export function reachText(head: ReachHead, names: Record<string, string>, unit: Unit): string {
  const say = (mm: number) => `${lengthText(mm, unit, "measured")} ${unit}`;
  if (head.share === 0) return `It reaches all of the relief within ${say(head.limit)}.`;
  const share = 100 * head.share;
  const where = `X ${lengthText(head.at[0], unit, "measured")} Y ${lengthText(head.at[1], unit, "measured")}`;
  const piece = head.piece && names[head.piece] ? `, ${names[head.piece] as string}` : "";
  return (
    `It leaves up to ${say(head.most)} of height, on ${share < 0.1 ? "less than 0.1" : share.toFixed(1)} % of the relief. ` +
    `The widest place is ${say(head.wide)} across, at ${where} of the relief${piece}. Such places are violet in Place: take a smaller ` +
    "cutter there, or a flatter wall."
  );
}

export function CutterReach(props: {
  composition: Composition;
  cutter: Cutter | null;
  onChoose: (cutter: Cutter | null) => void;
}) {
  const { plan } = useSheetState();
  const { data: cutters } = useCutters();
  const { composition, cutter } = props;
  const { data: reach, error } = useReliefReach(composition, cutter);
  const names = Object.fromEntries(composition.pieces.map((item) => [item.id, item.name]));
  const list = cutters ?? [];
  return (
    <Folded title="Cutter fit" short={cutter?.name ?? "no cutter chosen"}>
      <Choose
        roomy
        label="Cutter"
        value={list.find((row) => row.data.name === cutter?.name)?.id.toString() ?? ""}
        choices={{ "": "none", ...Object.fromEntries(list.map((row) => [String(row.id), row.data.name])) }}
        onChange={(id) => props.onChoose(list.find((row) => String(row.id) === id)?.data ?? null)}
      />
      {cutter && (
        <Note role="status">
          {reach ? reachText(reach.head, names, plan.units ?? "mm") : error ? "" : "looking at the whole relief…"}
        </Note>
      )}
      {error && <Said role="alert">{error.message}</Said>}
    </Folded>
  );
}
