// What a page carries. Written by src/report; lengths in mm, stresses in MPa, forces in N.

export interface Packed { bytes: string }
export interface Quantised extends Packed { offset: number; range: number }
export interface MeshData { positions: Packed; triangles: Packed }
/** Of a load on a face: its force on each piece, or at a point; its moment about there; arrows (place, way, length from 0 to 1). Of
 * one on the whole part: which way it pulls. */
export interface LoadData {
  name: string;
  face?: string;
  force?: number[];
  moment?: number[];
  at?: number[];
  note?: string;
  arrows?: number[][];
  along?: { at: number[]; way: number[] };
}
export interface SupportData { name: string; face: string; kind: string; seat?: string; at?: number[] }
/** A piece of a face: where its labels and arrows stand, the way it looks (zero all round a bore), its share of the area. */
export interface PieceData { at: number[]; normal: number[]; share: number }
export type Field = "vonMises" | "tension" | "compression";
export interface BodyCase extends Record<Field | "displacement", Quantised> { largestDisplacement: number }
export interface BodyData {
  name: string;
  mesh: MeshData;
  cases: BodyCase[];
  modes: { name: string; shape: Quantised; size: Quantised }[]; // the largest displacement is one
  marks: { text: string; at: number[] }[]; // where a making rule does not hold
}

export interface PageData {
  title: string;
  palette: Record<"space" | "keep" | "clear" | "part" | "support" | "load" | "solid" | "loose" | "ink", string>;
  colourMap: string[];
  frame: { origin: number[]; size: number[]; cells: number[] };
  layout?: { density: Packed; fill: Packed; keep: Packed };
  /** The layout is that of a run at work, or one that was stopped. */
  unfinished?: boolean;
  iterations?: { number: number; density: Packed }[];
  cellMass: number; // kg of a full cell
  cellMasses?: Packed; // the same cell by cell, where materials differ
  targetMass: number;
  space: MeshData;
  baseline?: MeshData;
  keeps: { name: string; mesh: MeshData }[];
  clears: { name: string; mesh: MeshData }[];
  parts: { name: string; bonded: boolean; mesh: MeshData }[];
  faces: { name: string; points: Packed; pieces: PieceData[] }[];
  middle: number[]; // of the design space
  supports: SupportData[];
  masses: { name: string; face: string; at: number[]; mass: number }[];
  connections: { name: string; faces: string[] }[];
  cases: { name: string; supports: string[]; loads: LoadData[] }[];
  threshold?: number;
  solid?: MeshData;
  bodies?: BodyData[];
  history?: {
    iteration: number[];
    compliance: (number | null)[];
    eroded: (number | null)[];
    change: number[];
    grey: number[];
    sharpness: number[];
    erosion: number[];
    mass?: number[]; // kg, where the lightest part is sought
    limits?: { what: string; share: (number | null)[] }[]; // of their bounds
  };
}

function raw(packed: Packed): ArrayBuffer {
  const text = atob(packed.bytes);
  const bytes = new Uint8Array(text.length);
  for (let i = 0; i < text.length; ++i) bytes[i] = text.charCodeAt(i);
  return bytes.buffer;
}

export const bytesOf = (packed: Packed): Uint8Array => new Uint8Array(raw(packed));
export const floatsOf = (packed: Packed): Float32Array => new Float32Array(raw(packed));
export const indicesOf = (packed: Packed): Uint32Array => new Uint32Array(raw(packed));

export function fieldOf(quantised: Quantised): Float32Array {
  const steps = new Uint16Array(raw(quantised));
  return Float32Array.from(steps, (s) => quantised.offset + (s / 65535) * quantised.range);
}
