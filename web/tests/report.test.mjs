// Opens the pages of a run folder in a headless browser: no console error, no network, a picture in every view, and
// a threshold slider that does what it says. Usage: node report.test.mjs RUN_FOLDER
import assert from "node:assert/strict";
import { readFileSync, statSync } from "node:fs";
import { join } from "node:path";
import { drawnShare, openPage } from "./browser.mjs";

const folder = process.argv[2];
const results = JSON.parse(readFileSync(join(folder, "results.json"), "utf8"));

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
    listed: await page.locator("#piece-list li").count(),
  };
};
const low = await read(0.05);
const middle = await read(Number(results.solid.threshold.toFixed(2)));
const high = await read(0.95);
assert.ok(low.mass > middle.mass && middle.mass > high.mass, "mass falls as the threshold rises");
assert.ok(Math.abs(middle.mass / results.solid.mass_kg - 1) < 0.1, "near the solid's mass at the solid's threshold");
assert.equal(middle.pieces, 1);
// Pieces are listed where there is more than one; well above the threshold members tear off.
for (const { pieces, listed } of [low, middle, high]) assert.equal(listed, pieces > 1 ? Math.min(pieces, 13) : 0);
await read(Number(results.solid.threshold.toFixed(2)));
if (await page.locator("#frame").count()) {
  await page.locator("#frame").fill("0");
  assert.match(await page.textContent("#frame-number"), /after 1/);
  await page.locator("#frame").fill(await page.locator("#frame").getAttribute("max"));
  assert.match(await page.textContent("#frame-number"), /final/);
}

await page.check("input[name=mode][value=stress]", { force: true });
await page.check("#deform");
assert.match(await page.textContent("#deform-scale"), /exaggerated/);
assert.match(await page.textContent("#legend-top"), /MPa/);
await page.selectOption("#stress-field", "compression");
assert.match(await page.textContent("#legend-low"), /-/);
for (const body of await page.locator("#stress-body option").all())
  await page.selectOption("#stress-body", await body.getAttribute("value"));

// A cut takes away part of the picture; keys do what they say; dark and print keep the page readable.
await page.locator("details.view summary").click();
await page.uncheck("#over-space");
await page.waitForTimeout(300);
const whole = await drawnShare(page);
await page.locator("#view").focus();
await page.keyboard.press("x");
await page.waitForTimeout(300);
const cut = await drawnShare(page);
assert.ok(cut < 0.9 * whole && cut > 0.1 * whole, `half of the part is cut away: ${whole} ${cut}`);
await page.keyboard.press("x");
await page.keyboard.press("3");
assert.ok(await page.locator("[data-panel=solid]").isVisible());
await page.keyboard.press("ArrowLeft");
await page.keyboard.press("+");
await page.keyboard.press("0");
await page.keyboard.press("4");
const background = () => page.evaluate(() => getComputedStyle(document.body).backgroundColor);
const light = await background();
await page.click("#theme");
assert.notEqual(await background(), light);
await page.emulateMedia({ media: "print" });
assert.equal(await background(), "rgb(255, 255, 255)");
assert.ok(await page.locator("#view canvas").isVisible());
await page.emulateMedia({ media: "screen" });
await page.click("#theme");
const view = await page.locator("#view").boundingBox();
assert.ok(view.y + view.height <= 801, "the picture is seen without scrolling");
assert.match(await page.textContent("header"), /verdict: met/);
assert.deepEqual(errors, []);
await browser.close();

const check = await openPage(join(folder, "check.html"));
assert.ok((await drawnShare(check.page)) > 0.03, "the check page shows something");
assert.deepEqual(check.errors, []);
await check.browser.close();
