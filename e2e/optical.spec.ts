import { readdirSync } from 'node:fs';
import { expect, test } from '@playwright/test';
import { accessible, base, demoFile, settled } from './support';

test('bands and their metadata text become one scene: natural colours, a spectrum; what does not belong is named', async ({ page }) => {
  const made = (await (await page.request.post(`${base()}/api/studies`, { data: { name: 'Bands', hazard: 'fire' } })).json()) as { id: string };
  await page.goto(`${base()}/studies/${made.id}/scenes`);
  const all = readdirSync(demoFile('optical')).filter((f) => f.startsWith('HELIO2_L1_20250122')).map((f) => demoFile(`optical/${f}`));
  // In no order, and without one band.
  await page.getByLabel('Files', { exact: true }).setInputFiles(all.filter((f) => !f.endsWith('_B1.TIF')).reverse());
  await expect(page.getByText('22 January 2025 · 6 bands')).toBeVisible({ timeout: 60_000 });
  await expect(page.getByText('Band 1 (HELIO2_L1_20250122_B1.TIF) is not there: the scene is made without it.')).toBeVisible();
  await settled(page);
  const desk = page.getByLabel('Scenes: settings');
  await expect(desk.getByRole('button', { name: 'Natural' })).toHaveAttribute('aria-pressed', 'true');
  await desk.getByRole('button', { name: 'Burn' }).click();
  await expect(desk.getByLabel('Red')).toHaveText('B7');
  await expect(desk.getByRole('row', { name: /^B5\s*865\s*30/ })).toBeVisible();
  await page.getByLabel(/^Map of HELIO2/).click({ position: { x: 400, y: 300 } });
  await expect(page.getByRole('img', { name: /^Spectra of 22 January 2025/ })).toBeVisible({ timeout: 30_000 });
  await accessible(page);
  // A metadata text with a file that it does not list.
  await page.getByLabel('Files', { exact: true }).setInputFiles([{ name: 'X_MTL.txt', mimeType: 'text/plain', buffer: Buffer.from('DATE_ACQUIRED = 2025-01-22\nFILE_NAME_BAND_2 = "X_B2.TIF"\n') }, { name: 'X_B9.TIF', mimeType: 'image/tiff', buffer: Buffer.from('these are only notes, not an image') }]);
  await expect(page.getByText(/X_B9\.TIF: This is not a TIFF/)).toBeVisible();
});
