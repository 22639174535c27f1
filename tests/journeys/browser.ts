import { mkdtempSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { Builder, By, until, type WebDriver, type WebElement } from 'selenium-webdriver';
import { Options, ServiceBuilder, type Driver } from 'selenium-webdriver/chrome';

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
];

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
    const driver = await new Builder()
      .forBrowser('chrome')
      .setChromeOptions(options)
      .setChromeService(new ServiceBuilder('/usr/bin/chromedriver'))
      .build();
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
  async see(text: string, within = 20_000): Promise<WebElement> {
    const quoted = `concat(${[...text].map((c) => (c === "'" ? `"'"` : `'${c}'`)).join(',')},'')`;
    const path = By.xpath(`(//*[not(self::script or self::style)][contains(normalize-space(.), ${quoted})])[last()]`);
    return this.driver.wait(until.elementLocated(path), within, `"${text}" does not appear`);
  }

  find(css: string, within = 20_000): Promise<WebElement> {
    return this.driver.wait(until.elementLocated(By.css(css)), within, `${css} does not appear`);
  }

  /** The control with this label, name or text. */
  async control(name: string): Promise<WebElement> {
    return this.driver.wait(
      async () => {
        const found = await this.driver.executeScript<WebElement | null>(
          `const name = arguments[0];
           const visible = (e) => e.getClientRects().length > 0;
           const labels = [...document.querySelectorAll('label')].filter((l) => l.textContent.replace('*', '').trim() === name && visible(l));
           for (const l of labels) {
             const target = l.control ?? (l.htmlFor && document.getElementById(l.htmlFor));
             if (target) return target;
             const box = l.parentElement.querySelector('[role=combobox], input');
             if (box) return box;
           }
           const controls = [...document.querySelectorAll('button, a, input, [role=button], [role=gridcell], [role=combobox], [role=option], [role=menuitem]')].filter(visible);
           const text = (e) => (e.getAttribute('aria-label') ?? e.textContent).trim();
           return controls.find((e) => text(e) === name) ?? controls.find((e) => e.textContent.trim() === name) ?? null;`,
          name,
        );
        return found ?? false;
      },
      20_000,
      `no control "${name}"`,
    ) as Promise<WebElement>;
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
      20_000,
      `"${name}" cannot be clicked`,
    );
  }

  async type(name: string, text: string): Promise<void> {
    const field = await this.control(name);
    await this.driver.executeScript('arguments[0].focus(); arguments[0].select?.()', field);
    await field.sendKeys(text);
  }

  async choose(name: string, option: string): Promise<void> {
    const box = await this.control(name);
    await this.driver.actions().move({ origin: box }).press().release().perform();
    const item = await this.driver.wait(
      until.elementLocated(By.xpath(`//li[@role='option'][normalize-space(.)='${option}']`)),
      10_000,
      `no option "${option}"`,
    );
    await item.click();
    await this.driver.wait(
      async () => (await this.driver.findElements(By.css('ul[role=listbox]'))).length === 0,
      10_000,
    );
  }

  async picture(path: string): Promise<void> {
    writeFileSync(path, await this.driver.takeScreenshot(), 'base64');
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
