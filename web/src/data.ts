// What a page carries. Written by src/report; lengths in mm, stresses in MPa, forces in N.

export interface Packed { bytes: string }

export interface MeshData { positions: Packed; triangles: Packed }

export interface PageData {
  kind: "check" | "report";
  title: string;
  palette: Record<"space" | "keep" | "clear" | "support" | "load" | "solid" | "ink", string>;
  colourMap: string[];
  frame: { origin: number[]; size: number; cells: number[] };
  layout?: { density: Packed; fill: Packed };
  cellMass: number; // kg of a full cell
  targetMass: number;
  space: MeshData;
  keeps: { name: string; mesh: MeshData }[];
  clears: { name: string; mesh: MeshData }[];
  faces: { name: string; points: Packed; centre: number[] }[];
  supports: { name: string; face: string }[];
  cases: { name: string; weight: number; loads: { name: string; face: string; force: number[] }[] }[];
  threshold?: number;
  solid?: MeshData;
  proof?: {
    mesh: MeshData;
    cases: { name: string; vonMises: Packed; displacement: Packed; largestDisplacement: number }[];
    strength: number;
  };
  history?: { iteration: number[]; compliance: number[]; mass: number[]; change: number[] };
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
