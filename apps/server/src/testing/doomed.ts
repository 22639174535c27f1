import { spawn, type ChildProcess } from 'node:child_process';
import { mkdtempSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { Caller, type World } from './world';

const program = join(__dirname, '../../dist/kill-harness.mjs');

export interface Doomed {
  readonly child: ChildProcess;
  readonly url: string;
  /** The signal that ended it. */
  readonly exit: Promise<string | null>;
}

/** Servers over a world, each in a process of its own that dies right after a named state is reached. */
export class DoomedServers {
  private readonly folder = mkdtempSync(join(tmpdir(), 'moorage-kill-'));
  private readonly children: ChildProcess[] = [];

  constructor(private readonly world: World) {}

  async start(dieAfter: string): Promise<Doomed> {
    const file = join(this.folder, 'config.json');
    const { config } = this.world;
    writeFileSync(file, JSON.stringify({ ...config, key: config.key.toString('hex') }));
    const child = spawn(process.execPath, [program, file, dieAfter], { stdio: ['ignore', 'pipe', 'inherit'] });
    this.children.push(child);
    const exit = new Promise<string | null>((resolve) => child.once('exit', (_code, signal) => resolve(signal)));
    const url = await new Promise<string>((resolve, reject) => {
      child.stdout!.on('data', (chunk: Buffer) => {
        const match = /ready at (\S+)/.exec(String(chunk));
        if (match) resolve(match[1]!);
      });
      void exit.then(() => reject(new Error('the server ended before it was ready')));
    });
    return { child, url, exit };
  }

  /** A server that lives, and someone signed in at it; it needs no process of its own, which takes seconds to start. */
  async lasting(person = 'maren'): Promise<{ caller: Caller; end: () => Promise<void> }> {
    const server = await this.world.start();
    return { caller: await new Caller(server.url).signIn(person), end: () => this.world.stop(server) };
  }

  end(): void {
    for (const child of this.children) child.kill('SIGKILL');
    rmSync(this.folder, { recursive: true, force: true });
  }
}
