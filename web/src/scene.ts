// The 3D view. Drawn on demand, never in a loop.

import * as THREE from "three";
import { OrbitControls } from "three/examples/jsm/controls/OrbitControls.js";
import { MeshData, floatsOf, indicesOf } from "./data";

export function geometryOf(positions: Float32Array, triangles: Uint32Array): THREE.BufferGeometry {
  const geometry = new THREE.BufferGeometry();
  geometry.setAttribute("position", new THREE.BufferAttribute(positions, 3));
  geometry.setIndex(new THREE.BufferAttribute(triangles, 1));
  geometry.computeVertexNormals();
  return geometry;
}

export const geometryFrom = (mesh: MeshData): THREE.BufferGeometry =>
  geometryOf(floatsOf(mesh.positions), indicesOf(mesh.triangles));

/** Facets keep their own normals where they meet at an angle, so edges look sharp. */
export function faceted(geometry: THREE.BufferGeometry): THREE.BufferGeometry {
  const flat = geometry.toNonIndexed();
  flat.computeVertexNormals();
  return flat;
}

/** Smooth shading, but edges sharper than 30 degrees stay sharp. */
export function creased(geometry: THREE.BufferGeometry): THREE.BufferGeometry {
  const flat = geometry.toNonIndexed();
  const position = flat.getAttribute("position");
  const index = geometry.getIndex()!;
  const normals = new Float32Array(position.count * 3);
  const faceNormal: THREE.Vector3[] = [];
  const weight: number[] = [];
  const round = new Map<number, number[]>();
  const a = new THREE.Vector3(), b = new THREE.Vector3(), c = new THREE.Vector3();
  for (let t = 0; t < index.count / 3; ++t) {
    a.fromBufferAttribute(position, 3 * t);
    b.fromBufferAttribute(position, 3 * t + 1).sub(a);
    c.fromBufferAttribute(position, 3 * t + 2).sub(a);
    const normal = b.clone().cross(c);
    weight.push(normal.length());
    faceNormal.push(normal.normalize());
    for (let k = 0; k < 3; ++k) {
      const v = index.getX(3 * t + k);
      const list = round.get(v);
      if (list) list.push(t);
      else round.set(v, [t]);
    }
  }
  const sum = new THREE.Vector3();
  for (let t = 0; t < index.count / 3; ++t)
    for (let k = 0; k < 3; ++k) {
      sum.set(0, 0, 0);
      for (const other of round.get(index.getX(3 * t + k))!)
        if (faceNormal[other].dot(faceNormal[t]) > 0.866) sum.addScaledVector(faceNormal[other], weight[other]);
      sum.normalize();
      normals.set([sum.x, sum.y, sum.z], 3 * (3 * t + k));
    }
  flat.setAttribute("normal", new THREE.BufferAttribute(normals, 3));
  return flat;
}

export function opaque(geometry: THREE.BufferGeometry, colour: string): THREE.Mesh {
  return new THREE.Mesh(geometry, new THREE.MeshStandardMaterial({ color: colour, roughness: 0.75, metalness: 0.05, side: THREE.DoubleSide }));
}

/** Opaque, with a colour per vertex. */
export function coloured(geometry: THREE.BufferGeometry): THREE.Mesh {
  return new THREE.Mesh(geometry, new THREE.MeshStandardMaterial({ vertexColors: true, roughness: 0.85, metalness: 0, side: THREE.DoubleSide }));
}

export function glass(geometry: THREE.BufferGeometry, colour: string, opacity: number): THREE.Object3D {
  const group = new THREE.Group();
  // Set back a little: where it lies on the face of an opaque body, that body alone is seen.
  const material = new THREE.MeshBasicMaterial({ color: colour, transparent: true, opacity, depthWrite: false, side: THREE.DoubleSide,
    polygonOffset: true, polygonOffsetFactor: 1, polygonOffsetUnits: 1 });
  group.add(new THREE.Mesh(geometry, material));
  const lines = new THREE.LineBasicMaterial({ color: colour, transparent: true, opacity: Math.min(1, opacity * 4) });
  group.add(new THREE.LineSegments(new THREE.EdgesGeometry(geometry, 35), lines));
  return group;
}

/**
 * What closes a body where planes cut it. Behind every pixel of a plane the surfaces facing away outnumber those
 * facing the eye just where the body is massive; the stencil buffer counts them, and the cap is drawn there. The way
 * follows the example of clipping with stencils that comes with three.js (Copyright 2010-2026 three.js authors, MIT
 * licence).
 */
class Caps {
  private readonly layers: { counters: THREE.Mesh[]; cap: THREE.Mesh }[] = [];

  constructor(private readonly body: THREE.Mesh, group: THREE.Object3D, colour: string, order: number, size: number) {
    const counter = (side: THREE.Side, pass: THREE.StencilOp) => {
      const material = new THREE.MeshBasicMaterial({ side, depthWrite: false, depthTest: false, colorWrite: false });
      Object.assign(material, { stencilWrite: true, stencilFunc: THREE.AlwaysStencilFunc, stencilFail: pass, stencilZFail: pass, stencilZPass: pass });
      return new THREE.Mesh(body.geometry, material);
    };
    for (let axis = 0; axis < 3; ++axis) {
      const material = new THREE.MeshStandardMaterial({ color: new THREE.Color(colour).multiplyScalar(0.72), roughness: 1, side: THREE.DoubleSide });
      Object.assign(material, { stencilWrite: true, stencilRef: 0, stencilFunc: THREE.NotEqualStencilFunc,
        stencilFail: THREE.ReplaceStencilOp, stencilZFail: THREE.ReplaceStencilOp, stencilZPass: THREE.ReplaceStencilOp });
      const cap = new THREE.Mesh(new THREE.PlaneGeometry(size, size), material);
      const counters = [counter(THREE.BackSide, THREE.IncrementWrapStencilOp), counter(THREE.FrontSide, THREE.DecrementWrapStencilOp)];
      for (const mesh of counters) mesh.renderOrder = order + axis;
      cap.renderOrder = order + axis + 0.5;
      cap.onAfterRender = (renderer) => renderer.clearStencil();
      for (const mesh of [...counters, cap]) {
        mesh.userData.cap = true;
        mesh.visible = false;
        group.add(mesh);
      }
      this.layers.push({ counters, cap });
    }
  }

  cut(planes: THREE.Plane[]): void {
    this.layers.forEach(({ counters, cap }, i) => {
      const plane = planes[i] as THREE.Plane | undefined;
      for (const mesh of [...counters, cap]) mesh.visible = !!plane && this.body.visible;
      if (!plane) return;
      for (const mesh of counters) {
        mesh.geometry = this.body.geometry;
        (mesh.material as THREE.Material).clippingPlanes = [plane];
      }
      (cap.material as THREE.Material).clippingPlanes = planes.filter((other) => other !== plane);
      plane.coplanarPoint(cap.position);
      cap.lookAt(cap.position.clone().sub(plane.normal));
    });
  }
}

export class View {
  readonly scene = new THREE.Scene();
  private readonly camera: THREE.PerspectiveCamera;
  private readonly renderer: THREE.WebGLRenderer;
  private readonly controls: OrbitControls;
  private readonly caps: Caps[] = [];
  private sections: { axis: number; at: number }[] = [];
  private pending = false;

  /** @param flat look at a sheet from its front. */
  constructor(private readonly host: HTMLElement, bounds: THREE.Box3, flat: boolean) {
    this.renderer = new THREE.WebGLRenderer({ antialias: true, alpha: true, stencil: true, preserveDrawingBuffer: true }); // kept for printing
    this.renderer.localClippingEnabled = true;
    this.renderer.setPixelRatio(Math.min(2, window.devicePixelRatio));
    host.append(this.renderer.domElement);
    this.camera = new THREE.PerspectiveCamera(28, 1, 1, 1e5);
    if (!flat) this.camera.up.set(0, 0, 1); // a sheet keeps y up
    this.scene.add(new THREE.HemisphereLight(0xffffff, 0x9aa4b0, 1.7));
    const sun = new THREE.DirectionalLight(0xffffff, 1.9);
    sun.position.set(-1, -2, 3);
    this.camera.add(sun);
    this.scene.add(this.camera);
    this.controls = new OrbitControls(this.camera, this.renderer.domElement);
    this.controls.addEventListener("change", () => this.draw());
    const centre = bounds.getCenter(new THREE.Vector3());
    const reach = bounds.getSize(new THREE.Vector3()).length();
    const from = flat ? new THREE.Vector3(-0.25, -0.35, 1) : new THREE.Vector3(0.75, -1.45, 0.8);
    this.camera.position.copy(centre).add(from.normalize().multiplyScalar((flat ? 1.75 : 1.72) * reach));
    this.camera.near = reach / 100;
    this.camera.far = reach * 20;
    this.controls.target.copy(centre);
    this.controls.update();
    this.controls.saveState();
    new ResizeObserver(() => this.resize()).observe(host);
    this.resize();
  }

  /** Cuts away what lies on the viewer's side of places along the axes (0 x, 1 y, 2 z); closed bodies get a cap. */
  cut(sections: { axis: number; at: number }[]): void {
    this.sections = sections;
    this.draw();
  }

  /** Adds a closed body that shows as massive where it is cut. */
  addMassive(body: THREE.Mesh, group: THREE.Object3D, colour: string): void {
    group.add(body);
    this.caps.push(new Caps(body, group, colour, 10 * (this.caps.length + 1), this.camera.far));
  }

  /** Moves labels that would be cut off at the edge back into the picture, and below those they would cover. */
  private placeLabels(): void {
    const across = new THREE.Vector3().setFromMatrixColumn(this.camera.matrixWorld, 0);
    const up = new THREE.Vector3().setFromMatrixColumn(this.camera.matrixWorld, 1);
    const edge = 0.99;
    const placed: { x: number; y: number; halfX: number; halfY: number }[] = []; // in the picture, from -1 to 1
    this.scene.traverseVisible((object) => {
      if (!(object instanceof THREE.Sprite)) return;
      const at = object.getWorldPosition(new THREE.Vector3());
      const middle = at.clone().project(this.camera);
      const half = (coordinate: "x" | "y", direction: THREE.Vector3, size: number): number =>
        Math.abs(at.clone().addScaledVector(direction, 0.5 * size).project(this.camera)[coordinate] - middle[coordinate]);
      const halfX = half("x", across, object.scale.x), halfY = half("y", up, object.scale.y);
      const inside = (place: number, half: number): number => Math.max(half - edge, Math.min(edge - half, place));
      const x = inside(middle.x, halfX);
      let y = inside(middle.y, halfY);
      for (let moved = true; moved; ) {
        const covered = placed.find((o) => Math.abs(o.x - x) < o.halfX + halfX && Math.abs(o.y - y) < 0.98 * (o.halfY + halfY));
        moved = covered !== undefined && y - halfY > -edge;
        if (moved) y = covered!.y - covered!.halfY - halfY;
      }
      placed.push({ x, y, halfX, halfY });
      object.center.set(0.5 + (middle.x - x) / (2 * halfX), 0.5 + (middle.y - y) / (2 * halfY));
    });
  }

  private clip(): void {
    const planes = this.sections.map(({ axis, at }) => {
      const side = this.camera.position.getComponent(axis) > at ? -1 : 1; // what stays is beyond the plane
      return new THREE.Plane(new THREE.Vector3().setComponent(axis, side), -side * at);
    });
    this.scene.traverse((object) => {
      const material = (object as THREE.Mesh).material as THREE.Material | undefined;
      if (material && !object.userData.cap) material.clippingPlanes = planes;
    });
    for (const cap of this.caps) cap.cut(planes);
  }

  /** Turns the view by angles in radians, or moves nearer by a factor. */
  turn(round: number, over: number, nearer = 1): void {
    const spherical = new THREE.Spherical();
    // The spherical coordinates of three.js have y up; a body has z up.
    const toUp = new THREE.Quaternion().setFromUnitVectors(this.camera.up, new THREE.Vector3(0, 1, 0));
    const offset = this.camera.position.clone().sub(this.controls.target).applyQuaternion(toUp);
    spherical.setFromVector3(offset);
    spherical.theta += round;
    spherical.phi = Math.min(Math.PI - 0.05, Math.max(0.05, spherical.phi + over));
    spherical.radius /= nearer;
    const moved = new THREE.Vector3().setFromSpherical(spherical).applyQuaternion(toUp.invert());
    this.camera.position.copy(this.controls.target).add(moved);
    this.controls.update();
    this.draw();
  }

  /** What of the given bodies lies under the pointer. */
  pick(event: PointerEvent, bodies: THREE.Mesh[]): THREE.Intersection | undefined {
    const area = this.renderer.domElement.getBoundingClientRect();
    const at = new THREE.Vector2((2 * (event.clientX - area.left)) / area.width - 1, 1 - (2 * (event.clientY - area.top)) / area.height);
    const ray = new THREE.Raycaster();
    ray.setFromCamera(at, this.camera);
    return ray.intersectObjects(bodies, false)[0];
  }

  fromTheStart(): void {
    this.controls.reset();
    this.draw();
  }

  draw(): void {
    if (this.pending) return;
    this.pending = true;
    requestAnimationFrame(() => {
      this.pending = false;
      this.clip();
      this.placeLabels();
      this.renderer.render(this.scene, this.camera);
      this.host.dataset.drawn = "yes";
    });
  }

  private resize(): void {
    const { clientWidth: w, clientHeight: h } = this.host;
    if (!w || !h) return;
    this.renderer.setSize(w, h);
    this.camera.aspect = w / h;
    this.camera.updateProjectionMatrix();
    this.draw();
  }
}

export function boundsOf(positions: Float32Array): THREE.Box3 {
  return new THREE.Box3().setFromArray(Array.from(positions));
}

/** An arrow whose tip touches `at`, and its text beside the tail. */
export function arrow(at: THREE.Vector3, direction: THREE.Vector3, length: number, colour: string): THREE.Object3D {
  const unit = direction.clone().normalize();
  const helper = new THREE.ArrowHelper(unit, at.clone().addScaledVector(unit, -length), length, colour, 0.28 * length, 0.14 * length);
  const shaft = new THREE.Mesh(new THREE.CylinderGeometry(0.025 * length, 0.025 * length, 0.75 * length, 12), new THREE.MeshBasicMaterial({ color: colour }));
  shaft.position.copy(at).addScaledVector(unit, -0.62 * length);
  shaft.quaternion.setFromUnitVectors(new THREE.Vector3(0, 1, 0), unit);
  const group = new THREE.Group();
  group.add(helper, shaft);
  return group;
}

export function label(text: string, at: THREE.Vector3, height: number, colour: string): THREE.Sprite {
  const canvas = document.createElement("canvas");
  const context = canvas.getContext("2d")!;
  const font = "600 44px system-ui, sans-serif";
  context.font = font;
  canvas.width = Math.ceil(context.measureText(text).width) + 28;
  canvas.height = 64;
  context.font = font;
  context.fillStyle = "rgba(255,255,255,0.86)";
  context.beginPath();
  context.roundRect(0, 0, canvas.width, canvas.height, 14);
  context.fill();
  context.fillStyle = colour;
  context.textBaseline = "middle";
  context.fillText(text, 14, 34);
  const texture = new THREE.CanvasTexture(canvas);
  texture.colorSpace = THREE.SRGBColorSpace;
  const sprite = new THREE.Sprite(new THREE.SpriteMaterial({ map: texture, depthTest: false }));
  sprite.scale.set((height * canvas.width) / canvas.height, height, 1);
  sprite.position.copy(at);
  sprite.renderOrder = 5;
  return sprite;
}

export { THREE };
