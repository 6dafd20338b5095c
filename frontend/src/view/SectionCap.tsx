/** The face that an upright section leaves, and the control that moves it. */
import { useEffect, useMemo } from "react";
import { Slider, SliderThumb, SliderTrack } from "react-aria-components";
import styled from "styled-components";
import * as THREE from "three";
import type { GridFacts } from "../api/types";
import { lengthText, type Unit } from "../lib/numbers";
import type { Point } from "../lib/ray";
import { barCapOf, capOf, type Axis, type Section } from "../lib/section";
import { Quiet, Segments } from "../parts/controls";
import { Card } from "./cards";

const Track = styled(SliderTrack)`
  width: 120px;
  height: 16px;
  position: relative;
  &::before {
    content: "";
    position: absolute;
    left: 0;
    right: 0;
    top: 7px;
    height: 2px;
    background: ${(p) => p.theme.ink};
  }
`;
const Thumb = styled(SliderThumb)`
  width: 8px;
  height: 16px;
  background: ${(p) => p.theme.action};
  border-radius: 2px;
  top: 50%;
  &[data-focus-visible] {
    outline: 2px solid ${(p) => p.theme.action};
    outline-offset: 2px;
  }
`;

/** The face of a section, drawn lighter than the block; anew for each `version` of the heights. */
export function SectionCap(props: {
  section: Section;
  grid: GridFacts;
  heights: Float32Array;
  foot: number;
  version: number;
  colour: string;
  under?: ArrayLike<number> | null;
  /** Of a bar that is shown round: the reference radius of its unrolled surface. */
  around?: number;
}) {
  const { section, grid, heights, foot, version, under = null, around = 0 } = props;
  const geometry = useMemo(() => {
    const made = new THREE.BufferGeometry();
    const face = around > 0 ? barCapOf(section, grid, heights, around) : capOf(section, grid, heights, foot, under);
    made.setAttribute("position", new THREE.BufferAttribute(face, 3));
    return made;
    // The heights are one array that is filled anew: its version tells when.
    // eslint-disable-next-line react-hooks/exhaustive-deps
  }, [section, grid, heights, foot, version, under, around]);
  useEffect(() => () => geometry.dispose(), [geometry]);
  const tone = useMemo(() => new THREE.Color(props.colour).lerp(new THREE.Color("#FFFFFF"), 0.3), [props.colour]);
  return (
    <mesh geometry={geometry} frustumCulled={false}>
      <meshBasicMaterial color={tone} side={THREE.DoubleSide} />
    </mesh>
  );
}

export function SectionControl(props: {
  low: number[];
  high: number[];
  zero: Point;
  unit: Unit;
  section: Section;
  onChange: (section: Section) => void;
}) {
  const { section, onChange, unit } = props;
  const k = "xyz".indexOf(section.axis);
  const low = props.low[k] as number,
    high = props.high[k] as number;
  return (
    <Card style={{ display: "flex", gap: 8, alignItems: "center" }}>
      <span>section</span>
      <Segments
        label="Section along"
        value={section.axis}
        choices={{ x: "X", y: "Y", z: "Z" }}
        onChange={(axis: Axis) => onChange({ axis, at: null, flip: axis === "y" })}
      />
      <Slider
        aria-label={`Section along ${section.axis.toUpperCase()}`}
        minValue={low}
        maxValue={high}
        step={(high - low) / 400}
        value={section.at ?? high}
        onChange={(value) => onChange({ ...section, at: (value as number) >= high ? null : (value as number) })}
      >
        <Track>
          <Thumb />
        </Track>
      </Slider>
      <span style={{ minWidth: 44, textAlign: "right" }}>
        {section.at === null ? "off" : lengthText(section.at - props.zero[k as 0 | 1 | 2], unit, "measured")}
      </span>
      {section.axis !== "z" && (
        <Quiet
          aria-label="Keep the other side"
          isDisabled={section.at === null}
          onPress={() => onChange({ ...section, flip: !section.flip })}
        >
          ⇄
        </Quiet>
      )}
    </Card>
  );
}
