import { chromium } from '@playwright/test';
import config from './playwright.config';

// Pictures for the README from a running server with the demo studies: npm run screenshots [-- address]
const base = process.argv[2] ?? 'http://127.0.0.1:5170', folder = 'docs/screenshots';
process.env.HG_BASE = base;
const { FIRE, openStudy, settled } = await import('./support');

const browser = await chromium.launch(config.use!.launchOptions);
const page = await browser.newPage({ viewport: { width: 1280, height: 800 } });
const shot = async (name: string) => { await settled(page); await page.screenshot({ path: `${folder}/${name}.png` }); console.log(`${folder}/${name}.png`); };

await page.goto(`${base}/`);
await page.getByText('Ombrel flood').first().waitFor();
await shot('studies');
await openStudy(page, 'scenes');
await shot('scenes');
await page.getByRole('button', { name: 'Archive', exact: true }).click();
await page.getByText('7 results').waitFor();
await page.getByLabel('Fetch LANTERN1, 2025-05-26, frame 1').check();
await shot('archive');
await openStudy(page, 'scenes');
await page.getByLabel('Scenes: settings').getByRole('button', { name: /14 May/ }).click();
await settled(page);
await page.getByLabel(/^Map of LANTERN1, 14 May/).click({ position: { x: 330, y: 330 } });
await page.getByRole('region', { name: 'Values at this place' }).getByRole('row').nth(5).waitFor();
await shot('values');
await openStudy(page, 'scenes', '', FIRE);
await page.getByLabel('Scenes: settings').getByRole('button', { name: /15 February/ }).click();
await page.getByRole('button', { name: 'Colour infrared' }).click();
await settled(page);
await page.getByLabel(/^Map of HELIO2/).click({ position: { x: 560, y: 200 } });
await page.getByRole('img', { name: /^Spectra of/ }).waitFor();
await shot('optical');
await openStudy(page, 'prepare');
await page.getByRole('columnheader', { name: /^Flatten/ }).click();
await page.getByText('Gives gamma nought of terrain').waitFor();
await shot('prepare');
await openStudy(page, 'compare');
await page.getByText('New water').first().waitFor();
await shot('compare');
await page.keyboard.press('1');
await shot('compare-pair');
await openStudy(page, 'tally');
await shot('tally');
await openStudy(page, 'report');
await shot('report');
await browser.close();
