import { chromium } from 'playwright-core';
const [out, groomName, keys, script] = process.argv.slice(2);
const b = await chromium.launch({ executablePath: '/usr/bin/chromium', headless: true, args: ['--no-sandbox','--use-angle=swiftshader','--enable-unsafe-swiftshader','--ignore-gpu-blocklist'] });
const p = await b.newPage({ viewport: { width: 1280, height: 800 } });
p.on('pageerror', (e) => console.log('ERR', e.message)); p.on('console', (m) => { if (m.type() === 'error') console.log('CON', m.text()); });
const o = await (await fetch('http://127.0.0.1:4320/api/overview')).json();
const g = o.productions.flatMap((q) => q.assets).flatMap((a) => a.grooms).find((x) => x.name === groomName);
await p.goto(`http://127.0.0.1:4320/groom/${g.id}`);
await p.getByTestId('view').waitFor();
for (const k of keys) await p.keyboard.press(k);
if (script) { const fn = new Function('p', `return (async () => { ${script} })()`); await fn(p); }
await p.waitForFunction(() => window.fineComb?.settled() === true, undefined, { timeout: 200000, polling: 200 });
await p.screenshot({ path: out });
await b.close();
