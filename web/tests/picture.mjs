// Takes a picture of a page: node picture.mjs PAGE.html OUT.png [MODE] [deformed|below|dark|cut]
import { resolve } from "node:path";
import { openPage } from "./browser.mjs";

const [, , file, out, mode, extra] = process.argv;
const { browser, page, errors } = await openPage(resolve(file));
if (mode) await page.check(`input[name=mode][value=${mode}]`, { force: true });
if (extra === "deformed") await page.check("#deform");
if (extra === "dark") await page.click("#theme");
if (extra === "cut") {
  await page.locator("details.view summary").click();
  await page.check("#cut-y");
}
if (extra === "below") await page.evaluate(() => window.scrollTo(0, 760));
await page.waitForTimeout(600);
await page.screenshot({ path: out });
await browser.close();
if (errors.length) {
  console.error(errors.join("\n"));
  process.exit(1);
}
