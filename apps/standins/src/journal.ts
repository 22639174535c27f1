import { appendFileSync, existsSync, mkdirSync, readFileSync, renameSync, writeFileSync } from 'node:fs';
import { dirname } from 'node:path';

/**
 * Keeps a key-value world in one file of JSON lines, so that a restart of the demo finds it again. Without a path it keeps
 * nothing. A half-written last line (the process was killed) is dropped.
 */
export class Journal {
  private appended = 0;

  constructor(private readonly path?: string) {
    if (path) mkdirSync(dirname(path), { recursive: true });
  }

  /** The world as last written; compacts the file on the way. */
  load(): Map<string, unknown> {
    const world = new Map<string, unknown>();
    if (!this.path || !existsSync(this.path)) return world;
    for (const line of readFileSync(this.path, 'utf8').split('\n')) {
      if (line === '') continue;
      let entry: { key: string; value?: unknown };
      try {
        entry = JSON.parse(line) as typeof entry;
      } catch {
        continue;
      }
      if (entry.value === undefined) world.delete(entry.key);
      else world.set(entry.key, entry.value);
    }
    const compact = [...world].map(([key, value]) => JSON.stringify({ key, value }) + '\n').join('');
    writeFileSync(this.path + '.new', compact);
    renameSync(this.path + '.new', this.path);
    return world;
  }

  put(key: string, value: unknown): void {
    this.append({ key, value });
  }

  remove(key: string): void {
    this.append({ key });
  }

  private append(entry: { key: string; value?: unknown }): void {
    if (!this.path) return;
    appendFileSync(this.path, JSON.stringify(entry) + '\n');
    // what is written over and over must not fill the disk
    if (++this.appended % 100_000 === 0) this.load();
  }
}
