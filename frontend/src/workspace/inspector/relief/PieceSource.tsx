/** The outline of a piece: what it is made from. */
import { ChooseFile } from "../../../parts/ChooseFile";
import { useState } from "react";
import { readCurves } from "../../../api/jobs";
import { useFormats } from "../../../api/shop";
import { useReliefForms } from "../../../api/reliefs";
import type { ReliefPiece } from "../../../api/types";
import { Choose, Quiet, Said, ToggleQuiet } from "../../../parts/controls";
import { NumberField } from "../../../parts/fields";
import { useUpload } from "../../../parts/upload";
import { useSheetState } from "../../state";
import { Buttons, Note } from "../shared";
import { part, usePieceChange } from "./change";
import { KindFields } from "./KindFields";
import { PathRows } from "./PathRows";

type Source = ReliefPiece["source"];

/** Closed curves of a drawing, moved so that their box lies round the origin. */
export function centred(curves: [number, number][][]): [number, number][][] {
  const xs = curves.flat().map((point) => point[0]),
    ys = curves.flat().map((point) => point[1]);
  const x = (Math.min(...xs) + Math.max(...xs)) / 2,
    y = (Math.min(...ys) + Math.max(...ys)) / 2;
  return curves.map((curve) => curve.map((point) => [point[0] - x, point[1] - y]));
}

type DrawnCurve = Extract<Source, { kind: "drawn" }>["curves"][number];

/** A closed curve with a point more between each two. */
export const finer = (curve: DrawnCurve): DrawnCurve => ({
  ...curve,
  points: curve.points.flatMap((point, k) => {
    const next = curve.points[(k + 1) % curve.points.length] as [number, number];
    return [point, [(point[0] + next[0]) / 2, (point[1] + next[1]) / 2] as [number, number]];
  }),
});

function DrawnCurves(props: { source: Extract<Source, { kind: "drawn" }>; onChange: (source: Source) => void }) {
  const [problem, setProblem] = useState("");
  const points = props.source.curves.reduce((sum, curve) => sum + curve.points.length, 0);
  const bring = (file: File) =>
    readCurves(file)
      .then((found) => {
        setProblem("");
        props.onChange({
          ...props.source,
          curves: centred(found.curves).map((run) => ({ points: run, smooth: false })),
        });
      })
      .catch((reason: Error) => setProblem(reason.message));
  return (
    <>
      <Note>
        {props.source.curves.length} {props.source.curves.length === 1 ? "curve" : "curves"} of {points} points. A curve
        inside another is a hole. Drag the points in the view.
      </Note>
      <Buttons>
        <ChooseFile acceptedFileTypes={[".svg", ".dxf"]} onSelect={(files) => files?.[0] && void bring(files[0])}>
          <Quiet>Import SVG or DXF…</Quiet>
        </ChooseFile>
        <Quiet onPress={() => props.onChange({ ...props.source, curves: props.source.curves.map(finer) })}>
          Twice as many points
        </Quiet>
        <ToggleQuiet
          isSelected={props.source.curves.every((curve) => curve.smooth)}
          onChange={(smooth) =>
            props.onChange({ ...props.source, curves: props.source.curves.map((curve) => ({ ...curve, smooth })) })
          }
        >
          Smooth
        </ToggleQuiet>
      </Buttons>
      {problem && <Said role="alert">{problem}</Said>}
    </>
  );
}

/** Which mesh is seen from above: another file may take its place. */
function MeshFile(props: { source: Extract<Source, { kind: "mesh" }>; onChange: (source: Source) => void }) {
  const { job } = useSheetState();
  const { data: formats } = useFormats();
  const upload = useUpload();
  const bring = (file: File) =>
    void upload.bring(file).then((mesh) => mesh && props.onChange({ ...props.source, mesh: mesh.digest }));
  return (
    <>
      <Note>{job.meshes[props.source.mesh]?.name ?? "a mesh"}, seen from above</Note>
      <Buttons>
        <ChooseFile acceptedFileTypes={formats?.read ?? [".stl"]} onSelect={(files) => files?.[0] && bring(files[0])}>
          <Quiet>Another file…</Quiet>
        </ChooseFile>
      </Buttons>
      {upload.state && <Note role="status">{upload.state}</Note>}
      {upload.problem && <Said role="alert">{upload.problem}</Said>}
    </>
  );
}

export function PieceSource(props: { model: string; piece: ReliefPiece; others: Record<string, string> }) {
  const { plan, edit } = useSheetState();
  const { data: forms } = useReliefForms();
  const { piece, others } = props;
  const { show, keep } = usePieceChange(props.model, piece.id);
  const unit = plan.units ?? "mm";
  const source = piece.source;
  const form = forms?.sources[source.kind];
  if (!forms || !form) return null;
  const first = Object.keys(others)[0];
  const kinds = Object.fromEntries(
    Object.entries(forms.sources)
      .filter(([kind]) => kind === source.kind || (kind !== "mesh" && (kind !== "offset" || first)))
      .map(([kind, { title }]) => [kind, title]),
  );
  const keepSource = (next: Source, note: string) => keep({ source: next }, note);
  const turn = source.kind === "mesh" ? source.turn : null;
  return (
    <>
      {source.kind !== "mesh" && (
        <Choose
          label="Outline"
          value={source.kind}
          choices={kinds}
          onChange={(kind) =>
            edit({ do: "change_piece", model: props.model, piece: piece.id, change: { source: { kind } } }, "outline")
          }
        />
      )}
      <KindFields
        fields={form.fields}
        values={source as unknown as Record<string, unknown>}
        unit={unit}
        chosen={{ font: forms.fonts, piece: others }}
        onLive={(change) => show({ source: part(source, change) })}
        onChange={(change, note) => keepSource(part(source, change), note)}
      />
      {source.kind === "drawn" && (
        <DrawnCurves source={source} onChange={(next) => keepSource(next, "import curves")} />
      )}
      {source.kind === "path" && (
        <PathRows source={source} unit={unit} onLive={(next) => show({ source: next })} onChange={keepSource} />
      )}
      {source.kind === "mesh" && <MeshFile source={source} onChange={(next) => keepSource(next, "another mesh")} />}
      {source.kind === "mesh" &&
        turn?.map((value, axis) => (
          <NumberField
            key={axis}
            label={`Turn about ${"XYZ"[axis]}`}
            kind="angle"
            suffix="°"
            unit="mm"
            value={value}
            low={-360}
            high={360}
            step={90}
            onChange={(next) =>
              next !== null &&
              keepSource(
                { ...source, turn: turn.map((old, k) => (k === axis ? next : old)) as [number, number, number] },
                "turn",
              )
            }
          />
        ))}
    </>
  );
}
