/**
 * A picture with half the points each way, drawn apart and then laid over the canvas.
 *
 * The canvas itself keeps its size: a change of it waits until all that was asked for before is drawn, which takes seconds in software.
 */
import * as THREE from "three";

const vertex = /* glsl */ `varying vec2 at; void main() { at = uv; gl_Position = vec4(position.xy, 0.0, 1.0); }`;
const fragment = /* glsl */ `uniform sampler2D picture; varying vec2 at; void main() { gl_FragColor = texture2D(picture, at); }`;

type Render = (scene: THREE.Object3D, camera: THREE.Camera) => void;

export class HalfPicture {
  private readonly target = new THREE.WebGLRenderTarget(1, 1, { samples: 0 });
  private readonly material = new THREE.ShaderMaterial({
    vertexShader: vertex,
    fragmentShader: fragment,
    depthTest: false,
    depthWrite: false,
    toneMapped: false,
    uniforms: { picture: { value: null } },
  });
  private readonly sheet = new THREE.Mesh(new THREE.PlaneGeometry(2, 2), this.material);
  private readonly eye = new THREE.OrthographicCamera();

  constructor() {
    this.sheet.frustumCulled = false;
    // Colours are made for the screen already while this is drawn, not when it is laid over.
    this.target.texture.colorSpace = THREE.SRGBColorSpace;
    Object.assign(this.target, { isXRRenderTarget: true });
    this.material.uniforms.picture = { value: this.target.texture };
  }

  draw(gl: THREE.WebGLRenderer, render: Render, scene: THREE.Object3D, camera: THREE.Camera): void {
    const size = gl.getDrawingBufferSize(new THREE.Vector2());
    this.target.setSize(Math.max(Math.ceil(size.x / 2), 1), Math.max(Math.ceil(size.y / 2), 1));
    gl.setRenderTarget(this.target);
    gl.clear();
    render(scene, camera);
    gl.setRenderTarget(null);
    render(this.sheet, this.eye);
  }

  dispose(): void {
    this.target.dispose();
    this.material.dispose();
    this.sheet.geometry.dispose();
  }
}
