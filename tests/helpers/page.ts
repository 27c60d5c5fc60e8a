import type { Browser, Page } from 'playwright-core';

/** Chooses a character's files on the first page and takes them in as they are offered; the new groom's id. `look` sees the offer first. */
export async function takeIn(page: Page, url: string, files: string[], look?: () => Promise<void>): Promise<string> {
  await page.goto(url);
  await page.getByLabel('Character file').setInputFiles(files);
  await page.getByTestId('take-in').waitFor();
  await look?.();
  await page.getByTestId('take-in').click();
  await page.waitForURL(/\/groom\//);
  await page.getByTestId('view').waitFor();
  return new URL(page.url()).pathname.split('/').pop()!;
}

/** Picks from a list that opens. */
export async function pick(page: Page, testId: string, option: string | RegExp): Promise<void> {
  await page.getByTestId(testId).click();
  await page.getByRole('option', { name: option }).click();
}

/** A page of the size all tests use, its view drawn as coarse as it goes; what goes wrong in it is kept in `errors`; answers of 4xx are the tests' business unless `strict`. */
export async function watchedPage(browser: Browser, errors: string[], strict = false): Promise<Page> {
  const page = await browser.newPage({ viewport: { width: 1280, height: 800 }, acceptDownloads: true });
  await page.addInitScript(() => { if (!localStorage.getItem('fine-comb-grain')) localStorage.setItem('fine-comb-grain', '4'); });
  page.on('pageerror', (e) => errors.push(e.message));
  page.on('console', (m) => { if (m.type() === 'error' && (strict || !/status of 4\d\d/.test(m.text()))) errors.push(m.text()); });
  return page;
}

/** What tests do with a page of the workshop: ask it, wait until it has saved or planted, drag over the view (places 0 … 1 of it). */
export function handsOn(page: () => Page) {
  const saved = async (): Promise<void> => { await page().waitForTimeout(450); await page().locator('[data-testid=save][data-state=saved]').waitFor(); };
  return {
    saved,
    planted: async (): Promise<void> => { await page().waitForFunction(() => (window as never as { fineComb: { state: () => { planting: boolean } } }).fineComb.state().planting === false); await saved(); },
    /** `f` is the page's `fineComb`. */
    ask: <T,>(expression: string): Promise<T> => page().evaluate(`(() => { const f = window.fineComb; return ${expression} })()`),
    drag: async (...places: [number, number][]): Promise<void> => {
      const box = (await page().getByTestId('view').boundingBox())!, at = ([x, y]: [number, number]): [number, number] => [box.x + x * box.width, box.y + y * box.height];
      await page().mouse.move(...at(places[0]));
      await page().mouse.down();
      for (const p of places.slice(1)) await page().mouse.move(...at(p), { steps: 10 });
      await page().mouse.up();
    },
  };
}
