import { chromium } from '@playwright/test';
const browser = await chromium.launch({
  executablePath: '/usr/bin/chromium',
  args: ['--no-sandbox', '--autoplay-policy=no-user-gesture-required'],
});
const page = await browser.newPage({ viewport: { width: 1280, height: 800 } });
await page.goto('http://127.0.0.1:4999');
await page.getByRole('link', { name: /Lantern Ferry/ }).click();
await page.waitForTimeout(6000);
await page.getByRole('link', { name: 'Among the parts' }).click();
await page.getByRole('button', { name: 'In the song' }).click();
await page
  .getByRole('list', { name: 'Crowded along the song' })
  .waitFor({ timeout: 120000 })
  .catch(() => {});
await page.waitForTimeout(1000);
await page.screenshot({ path: '/tmp/look1.png' });
await page.getByRole('link', { name: 'Song', exact: true }).click();
await page.waitForTimeout(4000);
await page.screenshot({ path: '/tmp/look4.png' });
await browser.close();
