// The four views of a report side by side, in one picture: node story.mjs REPORT.html OUT.png
import { resolve } from "node:path";
import { openPage } from "./browser.mjs";

const [, , file, out] = process.argv;
const { browser, page, errors } = await openPage(resolve(file));
const steps = [
  ["setup", "space: what it may occupy, what stays, what pushes"],
  ["layout", "layout: where the mass serves best"],
  ["solid", "solid: closed, exact bores, the target mass"],
  ["stress", "proof: a fresh mesh, the same loads, a verdict"],
];
const shots = [];
for (const [mode, caption] of steps) {
  await page.check(`input[name=mode][value=${mode}]`, { force: true });
  await page.waitForTimeout(600);
  const shot = await page.locator("#view").screenshot();
  shots.push(`<figure><img src="data:image/png;base64,${shot.toString("base64")}"><figcaption>${caption}</figcaption></figure>`);
}
const sheet = await browser.newPage({ viewport: { width: 1280, height: 800 } });
await sheet.setContent(`<style>
body { margin: 0; padding: 12px; background: #fff; font: 17px/1.4 sans-serif; color: #1d2730;
  display: grid; grid-template-columns: 1fr 1fr; gap: 12px 16px; width: 1256px; box-sizing: border-box }
figure { margin: 0 } img { width: 100%; height: 350px; object-fit: cover; display: block; border: 1px solid #d5dce2 }
figcaption { padding: 4px 2px }</style>${shots.join("")}`);
await sheet.screenshot({ path: out });
await browser.close();
if (errors.length) {
  console.error(errors.join("\n"));
  process.exit(1);
}
