import { mkdtempSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { median, operatorAt, until } from './bench-api.mjs';

const flags = ['--headless=new', '--no-sandbox', '--disable-gpu', '--disable-quic', '--no-first-run'];
flags.push(
  '--disable-background-networking',
  '--disable-component-update',
  '--disable-sync',
  '--disable-dev-shm-usage',
);

/** Runs in the page: does something, and gives the milliseconds until `done` holds at a frame. */
const timed = (act, done) => `
  const finish = arguments[0];
  const began = performance.now();
  ${act};
  const look = () => (${done} ? finish(performance.now() - began) : requestAnimationFrame(look));
  requestAnimationFrame(look);
`;

/** Opens a very large backend in the browser, draws it, and changes a commissioning of it. */
export async function measureVast({ url, nodes, disks }) {
  const operator = await operatorAt(url);
  await until(async () => (await operator.api('GET', '/api/backends/shoal/inventory')).disks.id.length === disks);
  const answers = [];
  for (let i = 0; i < 7; i++) {
    const began = performance.now();
    await operator.api('GET', '/api/backends/shoal/inventory');
    answers.push(performance.now() - began);
  }
  const { Builder } = await import('selenium-webdriver');
  const { Options, ServiceBuilder } = await import('selenium-webdriver/chrome.js');
  const options = new Options();
  options.addArguments(...flags, `--user-data-dir=${mkdtempSync(join(tmpdir(), 'moorage-bench-browser-'))}`);
  options.setChromeBinaryPath('/usr/bin/chromium');
  const driver = await new Builder()
    .forBrowser('chrome')
    .setChromeOptions(options)
    .setChromeService(new ServiceBuilder('/usr/bin/chromedriver'))
    .build();
  try {
    await driver.manage().setTimeouts({ script: 60_000 });
    await driver.get(url);
    await driver.executeAsyncScript(
      `const done = arguments[0]; fetch('/api/session', { method: 'POST', headers: { 'Content-Type': 'application/json' }, body: JSON.stringify({ name: 'tom', password: 'lighthouse' }) }).then(done)`,
    );
    const drawn = `document.querySelector('canvas')?.dataset.drawn === '${disks}'`;
    const opened = [];
    for (let i = 0; i < 9; i++) {
      await driver.get(`${url}/backends`);
      await until(() =>
        driver.executeScript(`return document.querySelector('[aria-label="Backends and pools"]') !== null`),
      );
      // someone reads the page for a moment before going on
      await new Promise((r) => setTimeout(r, 1500));
      await driver.executeScript(`
        addEventListener('click', () => {
          const began = performance.now();
          const look = () => (${drawn} ? (window.took = performance.now() - began) : requestAnimationFrame(look));
          requestAnimationFrame(look);
        }, { capture: true, once: true })`);
      const link = await driver.findElement({ xpath: "//a[text()='shoal']" });
      // as a hand does: the pointer goes there, rests for a moment, and presses
      await driver.actions().move({ origin: link }).pause(80).press().release().perform();
      await until(() => driver.executeScript('return window.took !== undefined'));
      opened.push(await driver.executeScript('return window.took'));
    }
    const redrawn = await driver.executeScript(`return Number(document.querySelector('canvas').dataset.drawMs)`);
    await driver.get(`${url}/backends/shoal/commission`);
    await until(() => driver.executeScript(`return document.querySelector('canvas')?.dataset.drawn === '${disks}'`));
    const changes = [];
    const click = `
      const c = document.querySelector('canvas'); const b = c.getBoundingClientRect();
      window.before = document.querySelector('[data-usable]').textContent + c.dataset.draws;
      c.dispatchEvent(new MouseEvent('click', { bubbles: true, clientX: b.left + 40, clientY: b.top + 21 }));`;
    const changed = `document.querySelector('[data-usable]').textContent + document.querySelector('canvas').dataset.draws !== window.before`;
    for (let i = 0; i < 9; i++) changes.push(await driver.executeAsyncScript(timed(click, changed)));
    return {
      nodes,
      disks,
      answerMs: median(answers),
      openMs: median(opened),
      drawMs: redrawn,
      changeMs: median(changes),
    };
  } finally {
    await driver.quit();
    operator.end();
  }
}

export const vastRows = ({ answerMs, openMs, drawMs, changeMs }) => [
  ['its inventory answered, median', `${answerMs.toFixed(0)} ms`, 'by the server, read as JSON'],
  ['opened and drawn, median', `${openMs.toFixed(0)} ms`, 'from the click to the drawn frame; wanted: within 200 ms'],
  ['of that, drawing', `${drawMs.toFixed(0)} ms`, ''],
  [
    'a change of a commissioning',
    `${changeMs.toFixed(0)} ms`,
    'from the click to figures and drawing; wanted: within 200 ms',
  ],
];
