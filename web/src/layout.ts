// The layout at a threshold: its surface, its mass, its pieces.

import { PageData, bytesOf, floatsOf } from "./data";

export interface Piece { mass: number; loose: boolean }
export interface Reading {
  positions: Float32Array;
  triangles: Uint32Array;
  loose: Uint8Array; // per vertex: 1 where it belongs to a piece that hangs on no keep
  mass: number;
  pieces: Piece[]; // the heaviest first
}

export class Layout {
  private readonly final: Uint8Array;
  private readonly fill: Uint8Array;
  private readonly keep: Uint8Array;
  private readonly cellMasses?: Float32Array;
  private density: Uint8Array;
  private pieceOf: Int32Array;

  constructor(private readonly data: PageData) {
    this.final = bytesOf(data.layout!.density);
    this.fill = bytesOf(data.layout!.fill);
    this.keep = bytesOf(data.layout!.keep);
    this.density = this.final;
    this.pieceOf = new Int32Array(this.final.length);
    if (data.cellMasses) this.cellMasses = floatsOf(data.cellMasses);
  }

  /** Shows an earlier layout, or the final one again. */
  use(density?: Uint8Array): void {
    this.density = density ?? this.final;
  }

  /** @param threshold 0 to 1 */
  read(threshold: number): Reading {
    const level = Math.max(1, Math.round(threshold * 255));
    const pieces = this.findPieces(level);
    const anyKeep = this.keep.some((k) => k > 127);
    const heaviest = Math.max(0, ...pieces.map((p) => p.mass));
    for (const piece of pieces) piece.loose = anyKeep ? piece.loose : piece.mass < heaviest;
    const { positions, triangles, pieceOfVertex } = this.surface(level);
    const loose = Uint8Array.from(pieceOfVertex, (p) => (p >= 0 && pieces[p].loose ? 1 : 0));
    const mass = pieces.reduce((sum, p) => sum + p.mass, 0);
    return { positions, triangles, loose, mass, pieces: pieces.sort((x, y) => y.mass - x.mass) };
  }

  /** Pieces of solid cells joined across common sides; numbers go to pieceOf. */
  private findPieces(level: number): Piece[] {
    const [nx, ny, nz] = this.data.frame.cells;
    const pieceOf = this.pieceOf.fill(-1);
    const stack: number[] = [];
    const pieces: Piece[] = [];
    for (let seed = 0; seed < pieceOf.length; ++seed) {
      if (pieceOf[seed] >= 0 || this.density[seed] < level) continue;
      const number = pieces.length;
      const piece = { mass: 0, loose: true };
      pieces.push(piece);
      pieceOf[seed] = number;
      stack.push(seed);
      while (stack.length) {
        const at = stack.pop()!;
        piece.mass += (this.fill[at] / 255) * (this.cellMasses?.[at] ?? this.data.cellMass);
        if (this.keep[at] > 127) piece.loose = false;
        const x = at % nx, y = Math.floor(at / nx) % ny, z = Math.floor(at / nx / ny);
        const visit = (next: number) => {
          if (pieceOf[next] >= 0 || this.density[next] < level) return;
          pieceOf[next] = number;
          stack.push(next);
        };
        if (x > 0) visit(at - 1);
        if (x + 1 < nx) visit(at + 1);
        if (y > 0) visit(at - nx);
        if (y + 1 < ny) visit(at + nx);
        if (z > 0) visit(at - nx * ny);
        if (z + 1 < nz) visit(at + nx * ny);
      }
    }
    return pieces;
  }

  /** Naive surface nets (Gibson 1998): one vertex in every dual cell the surface crosses. */
  private surface(level: number): { positions: Float32Array; triangles: Uint32Array; pieceOfVertex: number[] } {
    const [nx, ny, nz] = this.data.frame.cells;
    const { origin, size } = this.data.frame;
    const value = (x: number, y: number, z: number): number =>
      x < 0 || y < 0 || z < 0 || x >= nx || y >= ny || z >= nz ? 0 : this.density[(z * ny + y) * nx + x];
    const sx = nx + 1, sy = ny + 1;
    const vertex = new Int32Array(sx * sy * (nz + 1)).fill(-1);
    const positions: number[] = [];
    const triangles: number[] = [];
    const pieceOfVertex: number[] = [];
    const corner = new Float32Array(8);
    for (let z = 0; z <= nz; ++z)
      for (let y = 0; y <= ny; ++y)
        for (let x = 0; x <= nx; ++x) {
          let mask = 0;
          for (let c = 0; c < 8; ++c) {
            corner[c] = value(x - 1 + (c & 1), y - 1 + ((c >> 1) & 1), z - 1 + (c >> 2)) - level + 0.5;
            if (corner[c] > 0) mask |= 1 << c;
          }
          if (mask === 0 || mask === 255) continue;
          let px = 0, py = 0, pz = 0, n = 0;
          for (let c = 0; c < 8; ++c)
            for (let axis = 1; axis < 8; axis *= 2) {
              if (c & axis || (corner[c] > 0) === (corner[c | axis] > 0)) continue;
              const t = corner[c] / (corner[c] - corner[c | axis]);
              px += (c & 1) + (axis === 1 ? t : 0);
              py += ((c >> 1) & 1) + (axis === 2 ? t : 0);
              pz += (c >> 2) + (axis === 4 ? t : 0);
              ++n;
            }
          const here = (z * sy + y) * sx + x;
          vertex[here] = positions.length / 3;
          // A single layer is a sheet: its faces lie on the layer's, not half a cell off.
          const height = nz > 1 ? z - 0.5 + pz / n : z;
          positions.push(origin[0] + size[0] * (x - 0.5 + px / n), origin[1] + size[1] * (y - 0.5 + py / n),
            origin[2] + size[2] * height);
          for (let c = 0; c < 8; ++c)
            if (mask & (1 << c)) {
              pieceOfVertex.push(this.pieceOf[((z - 1 + (c >> 2)) * ny + y - 1 + ((c >> 1) & 1)) * nx + x - 1 + (c & 1)]);
              break;
            }
          // Quads round the three edges that end in the far corner of this dual cell's low corner.
          const low = corner[0] > 0;
          const quad = (far: number, a: number, b: number, flip: boolean) => {
            if (low === (corner[far] > 0)) return;
            const q = [vertex[here], vertex[here - a], vertex[here - a - b], vertex[here - b]];
            if (q.some((v) => v < 0)) return;
            if (flip !== low) triangles.push(q[0], q[1], q[2], q[0], q[2], q[3]);
            else triangles.push(q[0], q[2], q[1], q[0], q[3], q[2]);
          };
          quad(1, sx, sx * sy, true);
          quad(2, 1, sx * sy, false);
          quad(4, 1, sx, true);
        }
    return { positions: new Float32Array(positions), triangles: new Uint32Array(triangles), pieceOfVertex };
  }
}
