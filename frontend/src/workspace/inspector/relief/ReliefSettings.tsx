/** A built-up relief: the list of its pieces, the one that is chosen, a section, and how near outlines come. */
import { ChooseFile } from "../../../parts/ChooseFile";
import { useEffect, useState } from "react";
import styled from "styled-components";
import { useFormats } from "../../../api/shop";
import { useReliefForms, useReliefPreview } from "../../../api/reliefs";
import type { Composition, Cutter, Model, EditOf } from "../../../api/types";
import { lengthText } from "../../../lib/numbers";
import type { ReliefPreview, SectionMark } from "../../../lib/relief";
import { Choose, Quiet, Said, ToggleQuiet } from "../../../parts/controls";
import { useUpload } from "../../../parts/upload";
import { useSheetState, withPiece } from "../../state";
import { Buttons, Folded, Head, Note } from "../shared";
import { PieceSettings } from "./PieceSettings";
import { CutterReach } from "./CutterReach";
import { SectionPanel } from "./SectionPanel";

const List = styled.ol`
  list-style: none;
  margin: 4px 0;
  padding: 0;
  border: 1px solid ${(p) => p.theme.hairline};
  & li {
    display: grid;
    grid-template-columns: auto 1fr auto auto;
    align-items: center;
    border-top: 1px solid ${(p) => p.theme.hairline};
  }
  & li:first-child {
    border-top: 0;
  }
  & li[data-chosen="true"] {
    background: ${(p) => p.theme.chosen};
  }
  & .name {
    text-align: left;
    overflow: hidden;
    text-overflow: ellipsis;
    white-space: nowrap;
    color: ${(p) => p.theme.ink};
  }
  & .wrong {
    grid-column: 1 / -1;
    padding: 0 8px 4px;
  }
`;

function PieceList(props: { model: string; composition: Composition; refused: Record<string, string> }) {
  const { plan, chosen, choose, keep, edit } = useSheetState();
  const { model, composition } = props;
  const count = composition.pieces.length;
  const order = (piece: string, to: number) => edit({ do: "order_piece", model, piece, to }, "order of pieces");
  return (
    <List aria-label="Pieces, the uppermost first">
      {[...composition.pieces].reverse().map((piece, k) => {
        const at = count - 1 - k;
        return (
          <li key={piece.id} data-chosen={chosen.kind === "model" && chosen.piece === piece.id}>
            <ToggleQuiet
              aria-label={`${piece.name} is on`}
              isSelected={piece.on}
              onChange={(on) => keep(withPiece(plan, model, piece.id, { on }), on ? "switch on" : "switch off")}
            >
              {piece.on ? "on" : "off"}
            </ToggleQuiet>
            <Quiet className="name" onPress={() => choose({ kind: "model", id: model, piece: piece.id })}>
              {piece.name}
            </Quiet>
            <Quiet
              aria-label={`Move ${piece.name} up`}
              isDisabled={at === count - 1}
              onPress={() => order(piece.id, at + 1)}
            >
              ↑
            </Quiet>
            <Quiet aria-label={`Move ${piece.name} down`} isDisabled={at === 0} onPress={() => order(piece.id, at - 1)}>
              ↓
            </Quiet>
            {props.refused[piece.id] && (
              <Said className="wrong" role="alert">
                {props.refused[piece.id]}
              </Said>
            )}
          </li>
        );
      })}
    </List>
  );
}

/** Adds pieces: curves and lettering at once; meshes from a file or from another model of the job. */
function AddPiece(props: { model: string; composition: Composition; piece: string | undefined }) {
  const { plan, edit, choose } = useSheetState();
  const { data: forms } = useReliefForms();
  const { data: formats } = useFormats();
  const upload = useUpload();
  const { model } = props;
  const next = `p${1 + Math.max(0, ...props.composition.pieces.map((item) => Number(/^p(\d+)$/.exec(item.id)?.[1] ?? 0)))}`;
  const add = (more: Omit<EditOf<"add_piece">, "do" | "model">, note: string) => {
    edit({ do: "add_piece", model, ...more }, note);
    choose({ kind: "model", id: model, piece: next });
  };
  const setIn = (mesh: string, name: string) => add({ kind: "mesh", mesh, name: name.slice(0, 80) }, "set a mesh in");
  const meshes = Object.fromEntries(
    (plan.models ?? []).filter((item) => item.mesh).map((item) => [item.mesh as string, item.name]),
  );
  const curves = Object.fromEntries(
    Object.entries(forms?.sources ?? {})
      .filter(([kind]) => kind !== "mesh" && (kind !== "offset" || props.composition.pieces.length > 0))
      .map(([kind, { title }]) => [kind, title]),
  );
  return (
    <>
      <Choose
        label="Add a piece"
        value=""
        choices={{ "": "choose…", ...curves }}
        onChange={(kind) => kind && add({ kind, of: props.piece ?? null }, "add a piece")}
      />
      <Buttons>
        <ChooseFile
          acceptedFileTypes={formats?.read ?? [".stl"]}
          onSelect={(files) =>
            files?.[0] &&
            void upload.bring(files[0]).then((mesh) => mesh && setIn(mesh.digest, mesh.name.replace(/\.[^.]+$/, "")))
          }
        >
          <Quiet>Set in a mesh or height image…</Quiet>
        </ChooseFile>
        {Object.entries(meshes).map(([mesh, name]) => (
          <Quiet key={mesh} onPress={() => setIn(mesh, name)}>
            Set in {name}
          </Quiet>
        ))}
      </Buttons>
      {upload.state && <Note role="status">{upload.state}</Note>}
      {upload.problem && <Said role="alert">{upload.problem}</Said>}
    </>
  );
}

/** Evens the gaps of three or more pieces. */
function Spacing(props: { model: string; composition: Composition }) {
  const { edit } = useSheetState();
  const [among, setAmong] = useState<string[]>([]);
  const chosen = among.filter((id) => props.composition.pieces.some((item) => item.id === id));
  const space = (along: "x" | "y") =>
    edit({ do: "space_pieces", model: props.model, pieces: chosen, along }, "space pieces evenly");
  return (
    <Folded title="Space evenly" short={chosen.length ? `${chosen.length} pieces` : ""}>
      <Note>Choose three or more pieces. The first and the last stay.</Note>
      <Buttons>
        {props.composition.pieces.map((item) => (
          <ToggleQuiet
            key={item.id}
            isSelected={chosen.includes(item.id)}
            onChange={(on) => setAmong(on ? [...chosen, item.id] : chosen.filter((id) => id !== item.id))}
          >
            {item.name}
          </ToggleQuiet>
        ))}
      </Buttons>
      <Buttons>
        <Quiet isDisabled={chosen.length < 3} onPress={() => space("x")}>
          Along X
        </Quiet>
        <Quiet isDisabled={chosen.length < 3} onPress={() => space("y")}>
          Along Y
        </Quiet>
      </Buttons>
    </Folded>
  );
}

function Gaps(props: { preview: ReliefPreview | undefined; composition: Composition; piece: string | undefined }) {
  const { plan } = useSheetState();
  const unit = plan.units ?? "mm";
  const names = Object.fromEntries(props.composition.pieces.map((item) => [item.id, item.name]));
  const all = props.preview?.head.gaps ?? [];
  const shown = (props.piece ? all.filter((gap) => gap.pieces.includes(props.piece as string)) : all).slice(0, 5);
  return (
    <Folded
      title="Gaps and walls"
      short={shown[0] ? `smallest ${lengthText(shown[0].distance, unit, "measured")} ${unit}` : "none"}
    >
      {shown.map((gap, k) => (
        <Note key={k}>
          {names[gap.pieces[0]]} – {names[gap.pieces[1]]}: {lengthText(gap.distance, unit, "measured")} {unit}, at{" "}
          {lengthText(gap.at[0], unit, "measured")}, {lengthText(gap.at[1], unit, "measured")}
        </Note>
      ))}
      {!shown.length && <Note>No outlines lie apart from each other.</Note>}
    </Folded>
  );
}

export function ReliefSettings(props: { model: Model; composition: Composition }) {
  const { job, plan, chosen, lookAtRelief } = useSheetState();
  const { model, composition } = props;
  const [cutter, setCutter] = useState<Cutter | null>(null);
  const [section, setSection] = useState<SectionMark | null>(null);
  useEffect(() => lookAtRelief({ model: model.id, cutter, section }), [lookAtRelief, model.id, cutter, section]);
  useEffect(() => () => lookAtRelief(null), [lookAtRelief]);
  const { data: preview, error } = useReliefPreview(job.id, model.id, composition);
  // A cutter is judged on what is kept, not on each step of a drag.
  const kept = job.plan.models?.find((item) => item.id === model.id)?.composition ?? composition;
  const key = chosen.kind === "model" ? chosen.piece : undefined;
  const piece = composition.pieces.find((item) => item.id === key);
  return (
    <>
      {error && <Said role="alert">{error.message}</Said>}
      <Head>
        Pieces
        <span>
          {lengthText(preview?.head.height ?? 0, plan.units ?? "mm", "measured")} {plan.units ?? "mm"} high
        </span>
      </Head>
      <PieceList model={model.id} composition={composition} refused={preview?.head.refused ?? {}} />
      <AddPiece model={model.id} composition={composition} piece={piece?.id} />
      {piece && <PieceSettings key={piece.id} model={model.id} composition={composition} piece={piece} />}
      <CutterReach composition={kept} cutter={cutter} onChoose={setCutter} />
      <SectionPanel model={model} composition={composition} piece={piece?.id} cutter={cutter} onMark={setSection} />
      <Gaps preview={preview} composition={composition} piece={piece?.id} />
      <Spacing model={model.id} composition={composition} />
    </>
  );
}
