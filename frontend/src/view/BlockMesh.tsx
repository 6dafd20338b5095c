/** The block: columns of a height field drawn as one surface with walls, shaded from the finest heights known. */
import { useThree } from "@react-three/fiber";
import { useEffect, useMemo } from "react";
import * as THREE from "three";
import type { GridFacts } from "../api/types";
import { lidOf, planeOf, type Section } from "../lib/section";
import { scene } from "../theme";
import { usePaceContext } from "./pace";

/** How many cells of the block one of the coarser picture covers, each way. */
const COARSER = 4;

const vertex = /* glsl */ `
  uniform sampler2D heights; uniform vec2 cells; uniform vec2 low; uniform vec2 size; uniform float foot; uniform float lid; uniform float around;
  attribute float wall; varying vec2 place; varying vec3 world; varying vec3 flat_; varying float side;
  void main() {
    place = uv;
    vec2 cell = (floor(uv * (cells - 1.0) + 0.5) + 0.5) / cells;
    float z = min(texture2D(heights, cell).r, lid);
    side = wall;
    flat_ = vec3(low + uv * size, wall > 1.5 ? foot : z);
    float angle = around > 0.0 ? flat_.y / around : 0.0;
    world = around > 0.0 ? vec3(flat_.x, flat_.z * sin(angle), flat_.z * cos(angle)) : flat_;
    gl_Position = projectionMatrix * modelViewMatrix * vec4(world, 1.0);
  }`;

const fragment = /* glsl */ `
  uniform sampler2D detail; uniform vec2 detailStep; uniform vec2 detailSize; uniform float foot; uniform float fullTop; uniform vec3 wood; uniform vec4 plane; uniform float lid; uniform float grainy; uniform float shine; uniform vec4 lens;
  uniform sampler2D deviation; uniform vec4 window; uniform float limit; uniform float most; uniform bool compare;
  uniform vec3 leftover; uniform vec3 within; uniform vec3 gouge; uniform vec3 corner;
  uniform float around;
  varying vec2 place; varying vec3 world; varying vec3 flat_; varying float side;
  float grain(vec2 p) { return 0.5 + 0.5 * sin(p.y * 2.1 + 1.6 * sin(p.x * 0.045) + 0.7 * sin(p.x * 0.11 + p.y * 0.4)); }
  void main() {
    if (dot(world, plane.xyz) > plane.w) discard;
    if (flat_.x > lens.x && flat_.x < lens.z && flat_.y > lens.y && flat_.y < lens.w) discard;
    float z = texture2D(detail, place).r;
    // By the surface as it is drawn, so that walls go down to the foot where the block is cut through.
    if (side < 0.5 && flat_.z <= foot + 0.01) discard;
    bool opened = z > lid + 1e-4;
    vec3 normal;
    if (side > 0.5) {
      normal = normalize(cross(dFdx(world), dFdy(world)));
      if (!gl_FrontFacing) normal = -normal;
    } else {
      float dx = texture2D(detail, place + vec2(detailStep.x, 0.0)).r - texture2D(detail, place - vec2(detailStep.x, 0.0)).r;
      float dy = texture2D(detail, place + vec2(0.0, detailStep.y)).r - texture2D(detail, place - vec2(0.0, detailStep.y)).r;
      float steeper = around > 0.0 ? around / max(z, 0.5) : 1.0;
      normal = normalize(vec3(-dx / (2.0 * detailSize.x), -dy * steeper / (2.0 * detailSize.y), 1.0));
      if (around > 0.0) {
        float angle = flat_.y / around;
        normal = vec3(normal.x, normal.y * cos(angle) + normal.z * sin(angle), normal.z * cos(angle) - normal.y * sin(angle));
      }
    }
    vec3 colour = wood * (1.0 - grainy * (0.07 - 0.09 * grain(flat_.xy)));
    if (opened) normal = vec3(0.0, 0.0, 1.0);
    // A wall between two columns: the finest heights know nothing of it.
    bool wall = side < 0.5 && abs(flat_.z - min(z, lid)) > 0.5;
    if (wall) {
      normal = normalize(cross(dFdx(world), dFdy(world)));
      if (dot(normal, cameraPosition - world) < 0.0) normal = -normal;
    }
    if (z < fullTop - 0.02 || side > 0.5) colour = mix(colour, vec3(0.90, 0.86, 0.78), (side > 0.5 ? 0.12 : 0.5) * grainy);
    if (opened) colour = mix(colour, vec3(1.0), 0.28) * (mod(world.x + world.y, 3.0) < 0.35 ? 0.86 : 1.0);
    if (side > 0.5 && flat_.z < foot + 0.002) colour *= 0.8;
    if (compare && side < 0.5) {
      vec2 at = (flat_.xy - window.xy) / window.zw;
      colour = vec3(0.80, 0.79, 0.76);
      if (all(greaterThanEqual(at, vec2(0.0))) && all(lessThanEqual(at, vec2(1.0)))) {
        float d = texture2D(deviation, at).r;
        if (d > -900.0) {
          bool cannot = d > 400.0;
          d -= cannot ? 500.0 : 0.0;
          float over = clamp((abs(d) - limit) / max(most - limit, 1e-4), 0.0, 1.0);
          colour = abs(d) <= limit ? within : mix(within, d < 0.0 ? gouge : cannot ? corner : leftover, 0.25 + 0.75 * sqrt(over));
        }
      }
    }
    float light = 0.34 + 0.66 * max(dot(normal, normalize(vec3(-0.45, 0.25, 0.85))), 0.0);
    vec3 half_way = normalize(normalize(vec3(-0.45, 0.25, 0.85)) + normalize(cameraPosition - world));
    float glint = compare ? 0.0 : shine * pow(max(dot(normal, half_way), 0.0), 24.0);
    gl_FragColor = vec4(colour * light + vec3(glint), 1.0);
    #include <colorspace_fragment>
  }`;

const colour = (name: string) => new THREE.Color(name);

function texture(data: Float32Array, nx: number, ny: number): THREE.DataTexture {
  const made = new THREE.DataTexture(data, nx, ny, THREE.RedFormat, THREE.FloatType);
  made.needsUpdate = true;
  return made;
}

/** A grid of nx x ny vertices, with a wall round its border down to the foot. */
export function blockGeometry(nx: number, ny: number): THREE.BufferGeometry {
  const uv: number[] = [],
    wall: number[] = [],
    index: number[] = [];
  for (let j = 0; j < ny; j++)
    for (let i = 0; i < nx; i++) {
      uv.push(i / (nx - 1), j / (ny - 1));
      wall.push(0);
    }
  for (let j = 0; j + 1 < ny; j++)
    for (let i = 0; i + 1 < nx; i++) {
      const a = j * nx + i,
        b = a + 1,
        c = a + nx + 1,
        d = a + nx;
      index.push(a, b, c, a, c, d);
    }
  const border: number[] = [];
  for (let i = 0; i < nx; i++) border.push(i);
  for (let j = 1; j < ny; j++) border.push(j * nx + nx - 1);
  for (let i = nx - 2; i >= 0; i--) border.push((ny - 1) * nx + i);
  for (let j = ny - 2; j >= 0; j--) border.push(j * nx);
  const first = nx * ny;
  border.forEach((k) => {
    for (const w of [1, 2]) {
      uv.push(uv[2 * k] as number, uv[2 * k + 1] as number);
      wall.push(w);
    }
  });
  for (let k = 0; k + 1 < border.length; k++) {
    const a = first + 2 * k,
      b = a + 1,
      c = a + 2,
      d = a + 3;
    index.push(b, d, c, b, c, a);
  }
  const made = new THREE.BufferGeometry();
  made.setAttribute("position", new THREE.BufferAttribute(new Float32Array(wall.length * 3), 3));
  made.setAttribute("uv", new THREE.BufferAttribute(Float32Array.from(uv), 2));
  made.setAttribute("wall", new THREE.BufferAttribute(Float32Array.from(wall), 1));
  made.setIndex(new THREE.BufferAttribute(Uint32Array.from(index), 1));
  return made;
}

/** `data` is as `pictured` makes it. */
export interface Deviation {
  data: Float32Array;
  shape: number[];
  grid: GridFacts;
  limit: number;
  most: number;
}
export interface Look {
  colour: string;
  grain: number;
  shine: number;
}
/** A rectangle on the plan: low X, low Y, high X, high Y. */
export type Rectangle = [number, number, number, number];

const NOWHERE: Rectangle = [1, 1, 0, 0];

export function BlockMesh(props: {
  grid: GridFacts;
  heights: Float32Array;
  foot: number;
  top: number;
  section: Section;
  fine?: { data: Float32Array; nx: number; ny: number } | null;
  deviation?: Deviation | null;
  version: number;
  look: Look;
  lens?: Rectangle | null;
  /** Of a bar that is shown round: the reference radius of its unrolled surface; 0 for all else. */
  around?: number;
}) {
  const { grid, heights, fine, deviation } = props;
  const { coarse: moving } = usePaceContext();
  const full = useMemo(() => blockGeometry(grid.nx, grid.ny), [grid.nx, grid.ny]);
  const light = useMemo(
    () => blockGeometry(Math.max(Math.ceil(grid.nx / COARSER), 2), Math.max(Math.ceil(grid.ny / COARSER), 2)),
    [grid.nx, grid.ny],
  );
  const geometry = moving ? light : full;
  const coarse = useMemo(() => texture(heights, grid.nx, grid.ny), [heights, grid.nx, grid.ny]);
  const finest = useMemo(() => (fine ? texture(fine.data, fine.nx, fine.ny) : coarse), [fine, coarse]);
  const deviationTexture = useMemo(() => {
    if (!deviation) return null;
    return texture(deviation.data, deviation.shape[1] as number, deviation.shape[0] as number);
    // Other limits are other uniforms, not another texture.
    // eslint-disable-next-line react-hooks/exhaustive-deps
  }, [deviation?.data]);
  const material = useMemo(
    () =>
      new THREE.ShaderMaterial({
        vertexShader: vertex,
        fragmentShader: fragment,
        side: THREE.DoubleSide,
        uniforms: Object.fromEntries(
          Object.entries({
            heights: null,
            detail: null,
            cells: new THREE.Vector2(),
            low: new THREE.Vector2(),
            size: new THREE.Vector2(),
            foot: 0,
            around: 0,
            detailStep: new THREE.Vector2(),
            detailSize: new THREE.Vector2(),
            fullTop: 0,
            wood: colour(scene.wood),
            plane: new THREE.Vector4(0, 0, 0, 1),
            lid: 1e9,
            grainy: 1,
            shine: 0,
            lens: new THREE.Vector4(...NOWHERE),
            deviation: null,
            window: new THREE.Vector4(),
            limit: 0,
            most: 1,
            compare: false,
            leftover: colour(scene.leftover),
            within: colour(scene.within),
            gouge: colour(scene.gouge),
            corner: colour(scene.corner),
          }).map(([key, value]) => [key, { value }]),
        ),
      }),
    [],
  );
  const invalidate = useThree((state) => state.invalidate);
  useEffect(() => {
    coarse.needsUpdate = true;
  }, [props.version, coarse]);
  // Uniforms are set past React, so nothing else asks for a new picture.
  useEffect(() => invalidate());
  useEffect(
    () => () => {
      full.dispose();
      light.dispose();
    },
    [full, light],
  );
  useEffect(
    () => () => {
      coarse.dispose();
    },
    [coarse],
  );

  const u = material.uniforms as Record<string, { value: unknown }>;
  const set = (values: Record<string, unknown>) => {
    for (const [key, value] of Object.entries(values)) (u[key] as { value: unknown }).value = value;
  };
  const width = grid.nx * grid.pitch,
    depth = grid.ny * grid.pitch;
  const nx = fine ? fine.nx : grid.nx,
    ny = fine ? fine.ny : grid.ny;
  set({
    wood: colour(props.look.colour),
    grainy: props.look.grain,
    shine: props.look.shine,
    lens: new THREE.Vector4(...(props.lens ?? NOWHERE)),
    plane: new THREE.Vector4(...planeOf(props.section)),
    lid: lidOf(props.section),
    heights: coarse,
    detail: finest,
    cells: new THREE.Vector2(grid.nx, grid.ny),
    low: new THREE.Vector2(grid.x0 - grid.pitch / 2, grid.y0 - grid.pitch / 2),
    size: new THREE.Vector2(width, depth),
    foot: props.foot,
    around: props.around ?? 0,
    fullTop: props.top,
    detailStep: new THREE.Vector2(1 / nx, 1 / ny),
    detailSize: new THREE.Vector2(width / nx, depth / ny),
    compare: Boolean(deviation),
    deviation: deviationTexture,
  });
  if (deviation) {
    const g = deviation.grid;
    set({
      window: new THREE.Vector4(g.x0 - g.pitch / 2, g.y0 - g.pitch / 2, g.nx * g.pitch, g.ny * g.pitch),
      limit: deviation.limit,
      most: deviation.most,
    });
  }
  return <mesh geometry={geometry} material={material} frustumCulled={false} />;
}
