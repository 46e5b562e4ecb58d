// Draws each kind of support and load as the page of `check` does, all on one sheet:
// node scripts/kinds.mjs TOOL OUT.png
import { execFileSync } from "node:child_process";
import { mkdtempSync, rmSync, writeFileSync } from "node:fs";
import { tmpdir } from "node:os";
import { join } from "node:path";
import { openPage } from "../web/tests/browser.mjs";

const [, , tool, out] = process.argv;
const work = mkdtempSync(join(tmpdir(), "kinds-"));

const wall = 'wall = { face = "wall" }';
const push = 'push = { face = "top", force = ["0 N", "0 N", "-1 kN"] }';

/** A block on its foot, with a bore and a ring under a bolt's head. */
const brief = ({ supports = wall, loads = push, more = "" }) => `
title = "Kinds"
[material]
use = "steel"
[shapes]
block = { box = { from = ["0 mm", "0 mm", "0 mm"], to = ["90 mm", "44 mm", "26 mm"] } }
ring = { ring = { from = ["62 mm", "22 mm", "0 mm"], to = ["62 mm", "22 mm", "26 mm"], hole = "8 mm", wall = "6 mm" } }
rod = { cylinder = { from = ["62 mm", "22 mm", "-1 mm"], to = ["62 mm", "22 mm", "27 mm"], radius = "8 mm" } }
[design]
space = "block"
keep = ["ring"]
clear = ["rod"]
[faces]
wall = { of = "block", kind = "plane", facing = "-x" }
end = { of = "block", kind = "plane", facing = "+x" }
top = { of = "block", kind = "plane", facing = "+z" }
foot = { of = "block", kind = "plane", facing = "-z" }
bore = { of = "ring", kind = "cylinder", side = "hole" }
seat = { of = "ring", kind = "plane", facing = "+z" }
[supports]
${supports}
[loads]
${loads}
[cases]
all = { loads = { ${loads.split(" ")[0]} = 1.0 } }
${more}`;

const still = 'still = { temperature = "5 K" }';
const kinds = [
  ['hold = "fixed"', { supports: wall, loads: still }],
  ['hold = ["x"]', { supports: `rail = { face = "wall", hold = ["x"] }\nrest = { face = "foot" }`, loads: still }],
  ['hold = "sliding", of a plane', { supports: `plane = { face = "foot", hold = "sliding" }\nrest = { face = "wall" }`, loads: still }],
  ['hold = "pin"', { supports: `axle = { face = "bore", hold = "pin" }\nrest = { face = "end", hold = ["y"] }`, loads: still }],
  ["bedding", { supports: 'floor = { face = "foot", bedding = { normal = "5 N/mm3", across = "1 N/mm3" } }', loads: still }],
  ["springs", { supports: 'feet = { face = "foot", springs = { slide = "2 kN/mm", turn = "300 N m/rad" } }', loads: still }],
  ["at, with hold", { supports: 'joint = { face = "bore", at = ["62 mm", "22 mm", "-30 mm"], hold = "fixed" }', loads: still }],
  ["bolt", { supports: 'bolt = { face = "bore", bolt = { seat = "seat", diameter = "14 mm", grip = "34 mm" } }\nrest = { face = "wall" }', loads: still }],
  ["moved", { supports: 'jack = { face = "end", moved = { shift = ["0 mm", "0 mm", "0.4 mm"] } }\nrest = { face = "wall" }' }],
  ["force", { loads: push }],
  ["pressure", { loads: 'oil = { face = "bore", pressure = "2 MPa" }' }],
  ["bearing", { loads: 'pin = { face = "bore", bearing = ["4 kN", "0 N", "0 N"] }' }],
  ["torque", { loads: 'twist = { face = "bore", torque = "40 N m" }' }],
  ["moment", { loads: 'bend = { face = "end", moment = ["0 N m", "12 N m", "0 N m"] }' }],
  ["force, at a point", { loads: 'oar = { face = "bore", at = ["62 mm", "22 mm", "60 mm"], force = ["0 N", "600 N", "0 N"] }' }],
  ["spot", { loads: 'foot = { face = "top", force = ["0 N", "0 N", "-500 N"], spot = { at = ["30 mm", "22 mm", "26 mm"], reach = "8 mm" } }' }],
  ["liquid", { loads: 'tank = { face = "end", liquid = { surface = ["90 mm", "0 mm", "26 mm"], down = "-z", per_depth = "9.81 kPa/m" } }' }],
  ["gravity", { loads: 'weight = { gravity = "-z" }' }],
  ["acceleration", { loads: 'shock = { acceleration = ["0 m/s2", "5 gn", "0 m/s2"] }' }],
  ["spin", { loads: 'rotor = { spin = "3000 rpm", axis = "z", through = ["0 mm", "22 mm", "0 mm"] }' }],
  ["temperature", { loads: 'warm = { temperature = "60 K" }' }],
  ["masses", { loads: still, more: '[masses]\nmotor = { face = "bore", at = ["62 mm", "22 mm", "60 mm"], mass = "4 kg" }' }],
  ["connections", { loads: still, more: '[connections]\nlink = { between = ["wall", "bore"], slide = "5 kN/mm" }' }],
];

const tiles = [];
const zoomOut = (name) => (/^(at|masses|force|moment|moved|spot)/.test(name) ? 500 : 0); // what reaches out of the block

for (const [name, parts] of kinds) {
  const file = join(work, `kind-${tiles.length}.toml`);
  writeFileSync(file, brief(parts));
  execFileSync(tool, ["check", file, "--plain"], { stdio: ["ignore", "ignore", "inherit"] });
  const { browser, page, errors } = await openPage(file.replace(/toml$/, "run/check.html"));
  await page.locator("#view").hover();
  await page.mouse.wheel(0, zoomOut(name));
  await page.waitForTimeout(400);
  const picture = await page.locator("#view").screenshot();
  await browser.close();
  if (errors.length) throw new Error(`${name}: ${errors.join("\n")}`);
  tiles.push(`<figure><img src="data:image/png;base64,${picture.toString("base64")}"><figcaption>${name}</figcaption></figure>`);
}
const sheet = join(work, "sheet.html");
writeFileSync(
  sheet,
  `<body data-ready="yes"><style>
  body { margin: 0; font: 15px sans-serif; background: white }
  #view { display: grid; grid-template-columns: repeat(4, 1fr); gap: 8px; padding: 8px; background: white }
  figure { margin: 0; border: 1px solid #cfd4d8 }
  img { width: 100%; height: 250px; object-fit: cover }
  figcaption { padding: 3px 8px 6px }</style><div id="view" data-drawn="yes">${tiles.join("")}</div></body>`,
);
const { browser, page } = await openPage(sheet);
await page.locator("#view").screenshot({ path: out });
await browser.close();
rmSync(work, { recursive: true });
