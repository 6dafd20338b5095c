/** The vertices of lines and arcs, one a row: X, Y, and the bulge of the way to the next. */
import type { ReliefPiece } from "../../../api/types";
import { Quiet, ToggleQuiet } from "../../../parts/controls";
import { NumberField } from "../../../parts/fields";
import { Buttons, Note } from "../shared";

export type PathSource = Extract<ReliefPiece["source"], { kind: "path" }>;
type Vertex = PathSource["vertices"][number];

/** The path with one number of a vertex changed. */
export const withVertex = (source: PathSource, at: number, axis: number, value: number): PathSource => ({
  ...source,
  vertices: source.vertices.map((old, k) =>
    k === at ? (old.map((was, n) => (n === axis ? value : was)) as Vertex) : old,
  ),
});

/** The path with one vertex more, as far behind its last as that lies behind the one before. */
export function longer(source: PathSource): PathSource {
  const last = source.vertices[source.vertices.length - 1] ?? [0, 0, 0],
    before = source.vertices[source.vertices.length - 2] ?? [last[0] - 10, last[1], 0];
  return { ...source, vertices: [...source.vertices, [2 * last[0] - before[0], 2 * last[1] - before[1], 0]] };
}

export function PathRows(props: {
  source: PathSource;
  unit: "mm" | "in";
  onLive: (source: PathSource) => void;
  onChange: (source: PathSource, note: string) => void;
}) {
  const { source } = props;
  return (
    <>
      <Note>Bulge: 0 for a line, 1 for half a circle to the left, −1 to the right.</Note>
      {source.vertices.map((vertex, k) => (
        <div key={k} style={{ display: "flex", gap: 4, alignItems: "center" }}>
          {(["X", "Y", "bulge"] as const).map((name, axis) => (
            <NumberField
              key={name}
              bare
              tight
              label={`${name} of point ${k + 1}`}
              {...(axis === 2 ? { kind: "plain" as const } : {})}
              unit={props.unit}
              value={vertex[axis] ?? 0}
              low={-10000}
              high={10000}
              step={axis === 2 ? 0.1 : 1}
              onLive={(value) => value !== null && props.onLive(withVertex(source, k, axis, value))}
              onChange={(value) => value !== null && props.onChange(withVertex(source, k, axis, value), "move a point")}
            />
          ))}
          <Quiet
            aria-label={`Take out point ${k + 1}`}
            isDisabled={source.vertices.length <= 2}
            onPress={() =>
              props.onChange({ ...source, vertices: source.vertices.filter((_, n) => n !== k) }, "take a point out")
            }
          >
            ×
          </Quiet>
        </div>
      ))}
      <Buttons>
        <Quiet onPress={() => props.onChange(longer(source), "add a point")}>+ Point</Quiet>
        <ToggleQuiet
          isSelected={source.closed ?? false}
          onChange={(closed) => props.onChange({ ...source, closed }, closed ? "close the curve" : "open the curve")}
        >
          Closed
        </ToggleQuiet>
      </Buttons>
    </>
  );
}
