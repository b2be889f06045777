import { chromium } from '@playwright/test';
const web = 'http://127.0.0.1:4310';
const browser = await chromium.launch({ executablePath: '/usr/bin/chromium', args: ['--no-sandbox','--disable-gpu','--disable-quic','--no-first-run','--disable-background-networking','--disable-component-update','--disable-sync'] });
const page = await browser.newPage({ viewport: { width: 1280, height: 800 } });
await page.goto(web + '/sign-in');
await page.getByRole('button', { name: 'Sign in' }).click();
await page.waitForURL(web + '/');
for (const spec of process.argv.slice(2)) {
  const [name, path] = spec.split('=');
  await page.goto(web + path);
  await page.waitForTimeout(1200);
  await page.screenshot({ path: `/tmp/shots/${name}.png` });
}
await browser.close();
