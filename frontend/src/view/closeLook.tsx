/** A close look: a small window of the block at full resolution, placed by a click, dragged by its frame, or put by numbers. */
import { useCallback, useEffect, useMemo, useRef, useState } from "react";
import * as THREE from "three";
import { loadLens, type Lens } from "../api/results";
import type { Rectangle } from "./BlockMesh";
import type { OperationData } from "./data";
import { Handle } from "./Handle";
import type { Moment } from "./moment";

/** Columns of a window across, whatever its size. */
const COLUMNS = 400;
/** A frame that was moved by less than this (mm) was not dragged. */
const MOVED = 0.05;

type Place = [number, number];

const tenths = (value: number) => Math.round(10 * value) / 10;

/** How many operations have ended by a moment; one at least, as before the first there is nothing to see. */
export function endedBy(list: unknown[], moment: { index: number; part: number } | null): number {
  if (!moment) return Math.max(list.length, 1);
  return Math.max(moment.index + (moment.part >= 0.9999 ? 1 : 0), 1);
}

export interface CloseLook {
  lens: Lens | null;
  at: Place | null;
  side: number;
  said: string;
  place: (at: Place) => void;
  drag: (at: Place) => void;
  resize: (side: number) => void;
  close: () => void;
}

/** `block` is the key of the block that is looked at: another one closes the window, as it shows what was cut when it was asked for. */
export function useCloseLook(
  job: number,
  setup: string | undefined,
  list: OperationData[],
  moment: Moment | null,
  block: string,
): CloseLook {
  const [lens, setLens] = useState<Lens | null>(null);
  const [at, setAt] = useState<Place | null>(null);
  const [side, setSide] = useState(20);
  const [said, setSaid] = useState("click where");
  const asked = useRef(0);
  const close = useCallback(() => {
    asked.current += 1;
    setLens(null);
    setAt(null);
    setSaid("click where");
  }, []);
  useEffect(() => close(), [block, close]);

  const cut = useCallback(
    (where: Place, wide: number) => {
      if (setup === undefined) return;
      const turn = ++asked.current,
        after = endedBy(list, moment);
      setAt(where);
      setSaid("cutting it…");
      loadLens(job, setup, where, wide, wide / COLUMNS, after)
        .then((seen) => {
          // Only what was asked for last is shown.
          if (turn !== asked.current) return;
          setLens(seen);
          setSaid(after >= list.length ? "as it will be" : `after ${list[after - 1]?.number ?? ""}`);
        })
        .catch((reason: Error) => {
          if (turn === asked.current) setSaid(reason.message);
        });
    },
    [job, setup, list, moment],
  );
  const place = useCallback((where: Place) => cut(where, side), [cut, side]);
  const resize = useCallback(
    (wide: number) => {
      setSide(wide);
      if (at) cut(at, wide);
    },
    [at, cut],
  );
  return { lens, at, side, said, place, drag: setAt, resize, close };
}

/** The rectangle that a window covers. */
export const lensOf = (lens: Lens): Rectangle => {
  const { x0, y0, pitch, nx, ny } = lens.grid;
  return [x0 - pitch / 2, y0 - pitch / 2, x0 + (nx - 0.5) * pitch, y0 + (ny - 0.5) * pitch];
};

/** The frame of the window on the top of the block, by which it is dragged. */
export function LookFrame(props: { look: CloseLook; z: number; tone: string }) {
  const { look, z } = props;
  const grip = useRef<Place | null>(null);
  const half = look.side / 2;
  const outline = useMemo(
    () =>
      new THREE.BufferGeometry().setFromPoints(
        [
          [-half, -half],
          [half, -half],
          [half, half],
          [-half, half],
        ].map(([x, y]) => new THREE.Vector3(x, y, 0)),
      ),
    [half],
  );
  useEffect(() => () => outline.dispose(), [outline]);
  if (!look.at) return null;
  const dragged = (by: number[], done: boolean) => {
    grip.current ??= look.at;
    const [x, y] = grip.current as Place,
      to: Place = [tenths(x + (by[0] as number)), tenths(y + (by[1] as number))];
    if (done) grip.current = null;
    if (!done) look.drag(to);
    else if (Math.hypot(by[0] as number, by[1] as number) > MOVED) look.place(to);
  };
  return (
    <group userData={{ aside: true }}>
      <Handle
        track={{ kind: "level", z }}
        onDrag={dragged}
        onCancel={() => {
          if (grip.current) look.drag(grip.current);
          grip.current = null;
        }}
      >
        {(hot) => (
          <group position={[look.at?.[0] ?? 0, look.at?.[1] ?? 0, z]}>
            <mesh>
              <planeGeometry args={[look.side, look.side]} />
              <meshBasicMaterial color={props.tone} transparent opacity={hot ? 0.16 : 0} depthWrite={false} />
            </mesh>
            <lineLoop geometry={outline}>
              <lineBasicMaterial color={props.tone} />
            </lineLoop>
          </group>
        )}
      </Handle>
    </group>
  );
}
