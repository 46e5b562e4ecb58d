// Opens the pages of a run folder in a headless browser: no console error, no network, a picture in every view, and
// a threshold slider that does what it says. Usage: node report.test.mjs RUN_FOLDER
import assert from "node:assert/strict";
import { readFileSync, statSync } from "node:fs";
import { join } from "node:path";
import { openPage } from "./browser.mjs";

const folder = process.argv[2];
const results = JSON.parse(readFileSync(join(folder, "results.json"), "utf8"));

/** Share of the view's pixels that differ from the page's background gradient. */
async function drawnShare(page) {
  const picture = await page.locator("#view").screenshot();
  return page.evaluate(async (bytes) => {
    const image = await createImageBitmap(new Blob([new Uint8Array(bytes)]));
    const canvas = new OffscreenCanvas(image.width, image.height);
    const context = canvas.getContext("2d");
    context.drawImage(image, 0, 0);
    const { data } = context.getImageData(0, 0, image.width, image.height);
    let drawn = 0;
    for (let i = 0; i < data.length; i += 4) if (data[i] < 215) ++drawn;
    return (4 * drawn) / data.length;
  }, [...picture]);
}

const file = join(folder, "report.html");
assert.ok(statSync(file).size < 25e6, "the report stays under 25 MB");
const { browser, page, errors } = await openPage(file);

for (const mode of ["setup", "layout", "solid", "stress"]) {
  await page.check(`input[name=mode][value=${mode}]`, { force: true });
  await page.waitForTimeout(300);
  assert.ok((await drawnShare(page)) > 0.03, `the ${mode} view shows something`);
}

await page.check("input[name=mode][value=layout]", { force: true });
const read = async (threshold) => {
  await page.locator("#threshold").fill(String(threshold));
  return {
    mass: parseFloat(await page.textContent("#threshold-mass")),
    pieces: Number(await page.textContent("#threshold-pieces")),
  };
};
const low = await read(0.05);
const middle = await read(results.solid.threshold.toFixed(2));
const high = await read(0.95);
assert.ok(low.mass > middle.mass && middle.mass > high.mass, "mass falls as the threshold rises");
assert.ok(Math.abs(middle.mass / results.solid.mass_kg - 1) < 0.1, "near the solid's mass at the solid's threshold");
assert.equal(middle.pieces, 1);

await page.check("input[name=mode][value=stress]", { force: true });
await page.check("#deform");
assert.match(await page.textContent("#deform-scale"), /times too large/);
assert.match(await page.textContent("#legend-top"), /MPa/);
assert.match(await page.textContent("header"), /verdict: met/);
assert.deepEqual(errors, []);
await browser.close();

const check = await openPage(join(folder, "check.html"));
assert.ok((await drawnShare(check.page)) > 0.03, "the check page shows something");
assert.deepEqual(check.errors, []);
await check.browser.close();
