// What acts in a case: supports, loads, masses, connections.
import { LoadData, PageData, PieceData, SupportData, floatsOf } from "./data";
import { THREE, arrow, label } from "./scene";

const loadInk = "#7a4d00"; // the colour of loads, dark enough for text
const mostLabelled = 12; // of more pieces only the first has a label

const vector = (list: number[]): THREE.Vector3 => new THREE.Vector3(...(list as [number, number, number]));

const sized = (n: number, unit: string): string =>
  Math.abs(n) >= 1000 ? `${Number((n / 1000).toPrecision(3))} k${unit}` : `${Number(n.toPrecision(3))} ${unit}`;

/** "bolts", or of several pieces "bolts 2/6". */
const pieceName = (name: string, i: number, count: number): string => (count > 1 ? `${name} ${i + 1}/${count}` : name);

/** Draws the cases of a page into a group. */
export class Acting {
  /** @param reach the size of the scene, mm. */
  constructor(private readonly data: PageData, private readonly reach: number, private readonly into: THREE.Group) {}

  show(number: number): void {
    this.into.clear();
    const chosen = this.data.cases[number];
    for (const support of this.data.supports) if (chosen.supports.includes(support.name)) this.support(support);
    const most = Math.max(1e-9, ...this.data.cases.flatMap((c) => c.loads.map((load) => this.onPiece(load))));
    const whole = chosen.loads.filter((load) => load.face === undefined);
    for (const load of chosen.loads) if (load.face !== undefined) this.onFace(load, load.face, most);
    whole.forEach((load, i) => this.onAll(load, i));
    for (const mass of this.data.masses) this.mass(mass.name, mass.face, mass.at, mass.mass);
    for (const { name, faces } of this.data.connections) this.connection(name, faces);
  }

  private piecesOf(face: string): PieceData[] {
    return this.data.faces.find((f) => f.name === face)!.pieces;
  }

  private onPiece(load: LoadData): number {
    if (!load.force || load.face === undefined) return 0;
    const share = load.at ? 1 : Math.max(...this.piecesOf(load.face).map((p) => p.share));
    return Math.hypot(...load.force) * share;
  }

  private dots(face: string, colour: string): void {
    const points = new THREE.BufferGeometry();
    points.setAttribute("position", new THREE.BufferAttribute(floatsOf(this.data.faces.find((f) => f.name === face)!.points), 3));
    this.into.add(new THREE.Points(points, new THREE.PointsMaterial({ color: colour, size: 0.007 * this.reach })));
  }

  /** A label beside a piece of a face, on the side from which it is seen. */
  private labelOn(piece: PieceData, text: string, out: number, height: number, colour: string): void {
    const aside = vector(piece.normal);
    if (aside.lengthSq() === 0) aside.set(0, 0, -1);
    this.into.add(label(text, vector(piece.at).addScaledVector(aside, out), height, colour));
  }

  /** Dashes from a point to the pieces of a face it is joined with, and a ball at the point. */
  private joined(at: THREE.Vector3, face: string, colour: string, ball: number): void {
    for (const piece of this.piecesOf(face)) this.dashes(at, vector(piece.at), colour);
    if (ball === 0) return;
    const sphere = new THREE.Mesh(new THREE.SphereGeometry(ball, 24, 16), new THREE.MeshBasicMaterial({ color: colour }));
    sphere.position.copy(at);
    this.into.add(sphere);
  }

  private dashes(from: THREE.Vector3, to: THREE.Vector3, colour: string): void {
    const dash = 0.012 * this.reach;
    const line = new THREE.Line(new THREE.BufferGeometry().setFromPoints([from, to]), new THREE.LineDashedMaterial({ color: colour, dashSize: dash, gapSize: 0.6 * dash }));
    line.computeLineDistances();
    this.into.add(line);
  }

  private support(support: SupportData): void {
    const colour = this.data.palette.support;
    this.dots(support.face, colour);
    if (support.seat) this.dots(support.seat, colour);
    const pieces = this.piecesOf(support.face);
    if (support.at) {
      const at = vector(support.at);
      this.joined(at, support.face, colour, 0.012 * this.reach);
      this.into.add(label(`${support.kind}: ${support.name}`, at.add(new THREE.Vector3(0, 0, -0.05 * this.reach)), 0.032 * this.reach, colour));
      return;
    }
    pieces.forEach((piece, i) => {
      if (i > 0 && pieces.length > mostLabelled) return;
      const name = pieceName(support.name, i, pieces.length);
      this.labelOn(piece, i === 0 ? `${support.kind}: ${name}` : name, 0.05 * this.reach, (pieces.length > 1 ? 0.024 : 0.032) * this.reach, colour);
    });
  }

  /** An arrow that ends at a place, and its label behind its tail. */
  private force(at: THREE.Vector3, force: THREE.Vector3, most: number, text: string, height: number): void {
    const length = this.reach * (0.1 + (0.2 * force.length()) / most);
    this.into.add(arrow(at, force, length, this.data.palette.load));
    const tail = at.clone().addScaledVector(force.clone().normalize(), -length - 0.03 * this.reach);
    if (text) this.into.add(label(text, tail, height, loadInk));
  }

  /** A moment: an open ring about its axis with the head of an arrow, in the sense of the right hand. */
  private moment(at: THREE.Vector3, moment: THREE.Vector3, text: string, height: number): void {
    const colour = this.data.palette.load;
    const radius = 0.12 * this.reach; // round what it turns, mostly
    const thick = 0.005 * this.reach;
    const turn = 1.5 * Math.PI;
    const ring = new THREE.Group();
    // A torque on a bore turns within the material round it: there it shines through.
    for (const through of [false, true]) {
      const material = new THREE.MeshBasicMaterial({ color: colour, depthTest: !through, transparent: through, opacity: through ? 0.45 : 1 });
      const band = new THREE.Mesh(new THREE.TorusGeometry(radius, thick, 10, 48, turn), material);
      const head = new THREE.Mesh(new THREE.ConeGeometry(3.2 * thick, 9 * thick, 16), material);
      head.position.set(radius * Math.cos(turn), radius * Math.sin(turn), 0);
      head.rotation.z = turn; // a cone points along y, which is the way round at angle zero
      band.renderOrder = head.renderOrder = through ? 4 : 0;
      ring.add(band, head);
    }
    ring.quaternion.setFromUnitVectors(new THREE.Vector3(0, 0, 1), moment.clone().normalize());
    ring.position.copy(at);
    this.into.add(ring);
    this.into.add(label(text, at.clone().add(new THREE.Vector3(0, 0, radius + 0.03 * this.reach)), height, loadInk));
  }

  /** @param most the largest force on any one piece of a face, N. */
  private onFace(load: LoadData, face: string, most: number): void {
    this.dots(face, this.data.palette.load);
    const pieces = this.piecesOf(face);
    const height = (pieces.length > 1 && !load.at ? 0.024 : 0.034) * this.reach;
    const force = vector(load.force ?? [0, 0, 0]);
    const size = force.length();
    const moment = load.moment ? vector(load.moment) : undefined;
    const middle = new THREE.Vector3();
    for (const piece of pieces) middle.addScaledVector(vector(piece.at), piece.share);
    const at = load.at ? vector(load.at) : middle;
    if (load.at) {
      const apart = Math.min(...pieces.map((piece) => vector(piece.at).distanceTo(at)));
      if (apart > 0.02 * this.reach) this.joined(at, face, this.data.palette.load, 0.008 * this.reach);
      if (size > 0) this.force(at, force, most, `${load.name} ${sized(size, "N")}`, height);
    } else if (size > 0) {
      pieces.forEach((piece, i) => {
        const own = force.clone().multiplyScalar(piece.share);
        const labelled = i === 0 || pieces.length <= mostLabelled;
        this.force(vector(piece.at), own, most, labelled ? `${pieceName(load.name, i, pieces.length)} ${sized(own.length(), "N")}` : "", height);
      });
    }
    if (moment) this.moment(at, moment, `${load.name} ${sized(moment.length(), "N m")}`, height);
    if (load.note !== undefined)
      pieces.slice(0, mostLabelled).forEach((piece, i) => this.labelOn(piece, `${pieceName(load.name, i, pieces.length)} ${load.note}`, 0.07 * this.reach, height, loadInk));
    for (const [x, y, z, dx, dy, dz, share] of load.arrows ?? [])
      this.into.add(arrow(new THREE.Vector3(x, y, z), new THREE.Vector3(dx, dy, dz), (0.015 + 0.045 * share) * this.reach, this.data.palette.load));
  }

  /** What acts on the whole part: an arrow in its middle, or words below it. */
  private onAll(load: LoadData, row: number): void {
    const height = 0.034 * this.reach;
    const text = `${load.name}: ${load.note ?? ""}`;
    const low = new THREE.Vector3(0, 0, -(0.06 + 0.05 * row) * this.reach);
    const way = load.along ? vector(load.along.way) : new THREE.Vector3();
    const space = this.data.middle;
    const at = vector(load.along ? load.along.at : space);
    if (way.length() > 0) this.force(at.clone().addScaledVector(way.clone().normalize(), 0.1 * this.reach), way, 2 * way.length(), text, height);
    else this.into.add(label(text, at.add(low), height, loadInk));
  }

  private mass(name: string, face: string, place: number[], mass: number): void {
    const at = vector(place);
    this.dots(face, this.data.palette.part);
    this.joined(at, face, this.data.palette.part, 0.02 * this.reach);
    this.into.add(label(`${name} ${Number(mass.toPrecision(3))} kg`, at.add(new THREE.Vector3(0, 0, 0.05 * this.reach)), 0.032 * this.reach, this.data.palette.ink));
  }

  private connection(name: string, faces: string[]): void {
    for (const face of faces) this.dots(face, this.data.palette.part);
    const middle = (pieces: PieceData[]) =>
      pieces.reduce((sum, piece) => sum.addScaledVector(vector(piece.at), piece.share), new THREE.Vector3());
    const ends =
      faces[0] === faces[1] // the two pieces of one
        ? this.piecesOf(faces[0]).map((piece) => vector(piece.at))
        : faces.map((face) => middle(this.piecesOf(face)));
    this.dashes(ends[0], ends[1], this.data.palette.part);
    this.into.add(label(`joined: ${name}`, ends[0].add(ends[1]).multiplyScalar(0.5).add(new THREE.Vector3(0, 0, 0.04 * this.reach)), 0.028 * this.reach, this.data.palette.ink));
  }
}
