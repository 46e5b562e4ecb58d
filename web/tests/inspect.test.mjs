// Opens the page of a geometry file in a headless browser: every face can be chosen in the list, by key and in the
// picture, and says its selector. Usage: node inspect.test.mjs PAGE.html
import assert from "node:assert/strict";
import { drawnShare, openPage } from "./browser.mjs";

const { browser, page, errors } = await openPage(process.argv[2]);
const data = JSON.parse(await page.textContent("#page-data"));
const rows = page.locator("[data-face]");
const faces = data.bodies.flatMap((body) => body.faces);
assert.ok(faces.length > 6, "the file has more faces than a box");
assert.equal(await rows.count(), faces.length);
assert.ok((await drawnShare(page)) > 0.03, "the body is seen");
const view = await page.locator("#view").boundingBox();
assert.ok(view.y + view.height <= 801, "the picture is seen without scrolling");

/** What the page says is chosen: number of the face, its selector, the row that is marked. */
async function chosen() {
  const marked = page.locator("[data-face][aria-selected=true]");
  return {
    number: Number.parseInt(await page.textContent("#chosen"), 10),
    selector: await page.textContent("#selector"),
    rows: await marked.count(),
    face: (await marked.count()) ? await marked.getAttribute("data-face") : undefined,
  };
}

assert.equal((await chosen()).rows, 0, "nothing is chosen at first");
assert.ok(await page.locator("#copy").isHidden());
for (const face of [0, faces.length - 1]) {
  await rows.nth(face).click();
  assert.deepEqual(await chosen(), { number: face + 1, selector: faces[face].selector, rows: 1, face: `0-${face}` });
}
assert.ok(await page.locator("#copy").isVisible());
for (const [key, face] of [["Enter", 2], [" ", 3]]) {
  await rows.nth(face).focus();
  await page.keyboard.press(key);
  assert.equal((await chosen()).face, `0-${face}`);
}
assert.equal(new Set(faces.map((face) => face.selector)).size, faces.length, "no two faces have one selector");

// A click in the picture chooses what lies there, and a turn of the view chooses nothing. The chosen face changes
// its colour.
const middle = [view.x + view.width / 2, view.y + view.height / 2];
const before = await chosen();
await page.mouse.move(...middle);
await page.mouse.down();
await page.mouse.move(middle[0] + 60, middle[1] + 20, { steps: 4 });
await page.mouse.up();
assert.deepEqual(await chosen(), before);
const found = new Set();
for (let i = 1; i < 8; ++i)
  for (let j = 1; j < 8; ++j) {
    await page.mouse.click(view.x + (view.width * i) / 8, view.y + (view.height * j) / 8);
    found.add((await chosen()).face);
  }
assert.ok(found.size > 3, `a body shows more than three faces: ${[...found]}`);
const { number, selector } = await chosen();
assert.equal(selector, faces[number - 1].selector, "the picture and the list agree");
assert.ok(await page.locator("[data-face][aria-selected=true]").isVisible());

const background = () => page.evaluate(() => getComputedStyle(document.body).backgroundColor);
const light = await background();
await page.click("#theme");
assert.notEqual(await background(), light);
assert.deepEqual(errors, []);
await browser.close();
