import type { Page } from 'playwright-core';

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
