import type { AxeResults } from 'axe-core';
import { mkdtempSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { Builder, By, logging, until, type WebDriver, type WebElement } from 'selenium-webdriver';
import { Options, ServiceBuilder, type Driver } from 'selenium-webdriver/chrome';

const axe = readFileSync(require.resolve('axe-core/axe.min.js'), 'utf8');

const flags = [
  '--headless=new',
  '--no-sandbox',
  '--disable-gpu',
  '--disable-quic',
  '--no-first-run',
  '--disable-background-networking',
  '--disable-component-update',
  '--disable-sync',
  '--disable-dev-shm-usage',
  // what slides and fades is drawn sixty times a second without a graphics processor
  '--force-prefers-reduced-motion',
];

/** How long something is waited for: a machine that is busy with other tests shows in a minute what takes seconds alone. */
const patienceMs = 120_000;

/** Debian's Chromium, driven as a person would: by what is written on the screen. Waits look for a state, never for a time. */
export class Browser {
  private constructor(
    readonly driver: WebDriver,
    readonly base: string,
    private readonly profile: string,
  ) {}

  static async open(base: string): Promise<Browser> {
    const profile = mkdtempSync(join(tmpdir(), 'moorage-browser-'));
    const options = new Options();
    options.addArguments(...flags, `--user-data-dir=${profile}`);
    options.setChromeBinaryPath('/usr/bin/chromium');
    const logs = new logging.Preferences();
    logs.setLevel(logging.Type.BROWSER, logging.Level.WARNING);
    options.setLoggingPrefs(logs);
    const driver = await new Builder()
      .forBrowser('chrome')
      .setChromeOptions(options)
      .setChromeService(new ServiceBuilder('/usr/bin/chromedriver'))
      .build();
    // an examination of a whole page takes its time when others are at work
    await driver.manage().setTimeouts({ script: 120_000 });
    const browser = new Browser(driver, base, profile);
    await browser.size(1280, 800);
    return browser;
  }

  async size(width: number, height: number): Promise<void> {
    await (this.driver as Driver).sendDevToolsCommand('Emulation.setDeviceMetricsOverride', {
      width,
      height,
      deviceScaleFactor: 1,
      mobile: false,
    });
  }

  go(path: string): Promise<void> {
    return this.driver.get(this.base + path);
  }

  /** An element whose own or inner text matches, by exact text or a part of it. */
  async see(text: string, within = patienceMs): Promise<WebElement> {
    const quoted = `concat(${[...text].map((c) => (c === "'" ? `"'"` : `'${c}'`)).join(',')},'')`;
    const path = By.xpath(`(//*[not(self::script or self::style)][contains(normalize-space(.), ${quoted})])[last()]`);
    return this.told(this.driver.wait(until.elementLocated(path), within, `"${text}" does not appear`));
  }

  find(css: string, within = patienceMs): Promise<WebElement> {
    return this.told(this.driver.wait(until.elementLocated(By.css(css)), within, `${css} does not appear`));
  }

  /** Adds to a failure what the page shows and what its console said. */
  private async told<T>(work: Promise<T>): Promise<T> {
    try {
      return await work;
    } catch (error) {
      const text = await this.driver.findElement(By.css('body')).getText();
      const said = (await this.driver.manage().logs().get(logging.Type.BROWSER)).map((e) => e.message);
      if (process.env.MOORAGE_TEST_PICTURE) await this.picture(process.env.MOORAGE_TEST_PICTURE);
      throw new Error(
        `${(error as Error).message}\nat ${await this.driver.getCurrentUrl()}\nconsole: ${said.join('\n')}\nscreen: ${text.slice(0, 1500)}`,
        { cause: error },
      );
    }
  }

  /** The control with this label, name or text. */
  async control(name: string): Promise<WebElement> {
    return this.told(
      this.driver.wait(
        async () => {
          const found = await this.driver.executeScript<WebElement | null>(
            `const name = arguments[0];
           const visible = (e) => !e.closest('[aria-hidden=true]') && (e.getClientRects().length > 0 || (e.type === 'checkbox' && e.parentElement.getClientRects().length > 0));
           const clean = (t) => (t ?? '').replace('*', '').trim();
           const names = (e) => [
             e.getAttribute('aria-label'),
             ...[...(e.labels ?? [])].map((l) => l.textContent),
             ...(e.getAttribute('aria-labelledby') ?? '').split(' ').filter(Boolean).map((id) => document.getElementById(id)?.textContent),
             e.textContent,
           ].map(clean);
           const controls = [...document.querySelectorAll('button, a, input, textarea, [role=button], [role=gridcell], [role=combobox], [role=option], [role=menuitem]')].filter(visible);
           return controls.find((e) => names(e).includes(name)) ?? null;`,
            name,
          );
          return found ?? false;
        },
        patienceMs,
        `no control "${name}"`,
      ) as Promise<WebElement>,
    );
  }

  async click(name: string): Promise<void> {
    await this.driver.wait(
      async () => {
        try {
          await (await this.control(name)).click();
          return true;
        } catch (error) {
          // being replaced by a live change, or still covered by something that fades out
          if (/stale|intercepted|not interactable/i.test(String(error))) return false;
          throw error;
        }
      },
      patienceMs,
      `"${name}" cannot be clicked`,
    );
  }

  /** Clicks what the selector finds. */
  async clickOn(css: string): Promise<void> {
    await this.driver.wait(
      async () => {
        try {
          await (await this.find(css)).click();
          return true;
        } catch (error) {
          if (/stale|intercepted|not interactable/i.test(String(error))) return false;
          throw error;
        }
      },
      patienceMs,
      `${css} cannot be clicked`,
    );
  }

  /** Puts a text into an editor, in the place of what stands there. */
  async paste(name: string, text: string): Promise<void> {
    const field = await this.find(`.cm-content[aria-label="${name}"]`);
    await this.driver.executeScript(
      `const [field, text] = arguments;
       field.focus();
       document.execCommand('selectAll');
       const clipboardData = new DataTransfer();
       clipboardData.setData('text/plain', text);
       field.dispatchEvent(new ClipboardEvent('paste', { clipboardData, bubbles: true, cancelable: true }));`,
      field,
      text,
    );
  }

  /** Goes to another place as a link within the page does. */
  async step(path: string): Promise<void> {
    await this.driver.executeScript(
      `history.pushState(null, '', arguments[0]); dispatchEvent(new PopStateEvent('popstate'))`,
      path,
    );
  }

  /** As another window of the same browser turns it. */
  async turn(look: 'day' | 'night'): Promise<void> {
    await this.driver.executeScript(
      `const key = 'moorage-look';
       localStorage.setItem(key, JSON.stringify({ state: { look: arguments[0] }, version: 0 }));
       dispatchEvent(new StorageEvent('storage', { key }));`,
      look,
    );
    await this.find(`html[data-look=${look}]`);
  }

  async type(name: string, text: string): Promise<void> {
    const field = await this.control(name);
    await this.driver.executeScript('arguments[0].focus(); arguments[0].select?.()', field);
    await field.sendKeys(text);
  }

  async choose(name: string, option: string): Promise<void> {
    const item = By.xpath(`//li[@role='option'][normalize-space(.)='${option}']`);
    // a list that is still sliding in may not take the first press
    await this.driver.wait(
      async () => {
        try {
          if ((await this.driver.findElements(item)).length === 0) {
            const box = await this.control(name);
            await this.driver.actions().move({ origin: box }).press().release().perform();
          }
          await this.driver.wait(until.elementLocated(item), 1000);
          await this.driver.findElement(item).click();
          return true;
        } catch (error) {
          if (/stale|intercepted|not interactable|Wait timed out|no such element/i.test(String(error))) return false;
          throw error;
        }
      },
      patienceMs,
      `no option "${option}" of "${name}"`,
    );
    await this.driver.wait(
      async () => (await this.driver.findElements(By.css('ul[role=listbox]'))).length === 0,
      patienceMs,
    );
  }

  async picture(path: string): Promise<void> {
    writeFileSync(path, await this.driver.takeScreenshot(), 'base64');
  }

  /**
   * Serious faults of accessibility on the page as it is (WCAG 2.2 AA), in words; and how many rules passed. Of the `look` alone:
   * what differs by day and by night is contrast.
   */
  async faults(of: 'all' | 'look' = 'all'): Promise<{ faults: string[]; passed: number }> {
    await this.driver.executeScript(`if (!window.axe) { ${axe} }`);
    const results = await this.driver.executeAsyncScript<AxeResults>(
      'const done = arguments[1]; axe.run(document, { runOnly: arguments[0] }).then(done)',
      of === 'look' ? ['color-contrast'] : ['wcag2a', 'wcag2aa', 'wcag21a', 'wcag21aa', 'wcag22aa'],
    );
    const serious = results.violations.filter((v) => v.impact === 'serious' || v.impact === 'critical');
    const where = (v: (typeof serious)[number]) =>
      v.nodes.slice(0, 3).map((n) => `${n.target.join(' ')} ${n.any[0]?.message ?? ''}`);
    return { faults: serious.map((v) => `${v.id}: ${where(v).join(' | ')}`), passed: results.passes.length };
  }

  async signIn(name = 'maren', password = 'lighthouse'): Promise<void> {
    await this.go('/');
    await this.type('Name', name);
    await this.type('Password', password);
    await this.click('Sign in');
    await this.find('nav[aria-label=Places]');
  }

  async close(): Promise<void> {
    await this.driver.quit();
    rmSync(this.profile, { recursive: true, force: true });
  }
}
