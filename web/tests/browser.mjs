// A headless browser with software WebGL, showing one local page.
import { pathToFileURL } from "node:url";
import { chromium } from "playwright-core";

/** @returns the page once its viewer is ready, and the list its console errors go to. */
export async function openPage(file) {
  const browser = await chromium.launch({
    executablePath: process.env.CHROMIUM ?? "/usr/bin/chromium",
    args: ["--no-sandbox", "--disable-quic", "--no-first-run", "--disable-background-networking", "--disable-component-update",
      "--disable-sync", "--use-gl=angle", "--use-angle=swiftshader", "--enable-unsafe-swiftshader"],
  });
  const page = await browser.newPage({ viewport: { width: 1280, height: 800 } });
  const errors = [];
  page.on("console", (message) => message.type() === "error" && errors.push(message.text()));
  page.on("pageerror", (error) => errors.push(String(error)));
  page.on("request", (request) => request.url().startsWith("http") && errors.push("network request: " + request.url()));
  await page.goto(pathToFileURL(file).href);
  await page.waitForSelector("body[data-ready=yes]", { timeout: 60000 });
  await page.waitForSelector("#view[data-drawn=yes]", { timeout: 60000 });
  return { browser, page, errors };
}

/** Share of the view's pixels that differ from the page's background gradient. */
export async function drawnShare(page) {
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
