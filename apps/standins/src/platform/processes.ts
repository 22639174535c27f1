import { createHash } from 'node:crypto';
import { isAttached, volumesFor } from './attach';
import type { DataPath } from './data-path';
import { note } from './events';
import { claimsOf } from './fit';
import type { Later, Pace } from './pace';
import type { KubeObject, Store } from './store';

/** Where a pod tells what it holds: by claim, how many writes there were and their fingerprint, the last of them first. */
const dataAnnotation = 'vast-moorage.example/data';

/** Blocks that are written one after the other, then over again. */
const slots = 64;
/** Writes of which the fingerprints are told. */
const told = 16;
/** A pod tells anew what it holds after so many writes. */
const tellEvery = 15;
/** Before it is looked again whether a volume can be read, milliseconds. */
const againMs = 500;

/** How many writes were acknowledged, and the fingerprint of all of them. */
export interface Written {
  readonly writes: number;
  readonly fingerprint: string;
}

/** One write as it lies in its block: its text, and the fingerprint of everything up to it. */
interface Entry {
  readonly n: number;
  readonly text: string;
  readonly chain: string;
}

interface OpenVolume {
  readonly claim: KubeObject;
  readonly volume: KubeObject;
  readonly path: DataPath;
  readonly id: string;
  /** What lies there, the oldest first. */
  entries: Entry[];
  /** Asked for and not yet acknowledged: it is asked again as it is. */
  pending?: Entry;
}

interface Process {
  readonly pod: KubeObject;
  /** Unset until all of them were read. */
  volumes?: readonly OpenVolume[];
  /** The machine is off, or it has ended: nobody hears of what it wrote. */
  isOver: boolean;
  toldAt: number;
  /** What it does now, one after the other. */
  work: Promise<unknown>;
}

const fingerprintOf = (before: string, text: string): string =>
  createHash('sha256')
    .update(before + text)
    .digest('hex')
    .slice(0, 16);

/** The entries of a volume in their order; throws where one is not what was written after the one before it. */
function inOrder(blocks: readonly [block: number, text: string][]): Entry[] {
  const entries = blocks.map(([, text]) => JSON.parse(text) as Entry).sort((a, b) => a.n - b.n);
  for (const [i, entry] of entries.entries()) {
    const before = entries[i - 1];
    if (before && (entry.n !== before.n + 1 || entry.chain !== fingerprintOf(before.chain, entry.text)))
      throw new Error(`write ${entry.n} is not what was written after ${before.n}`);
  }
  return entries;
}

/** What runs in pods that have volumes to themselves: it reads them whole when it starts, and writes on, each write after the last. */
export class Processes {
  private readonly running = new Map<string, Process>();
  /** Of each claim, by its uid: what was acknowledged to whoever asked for the writes. It outlives pods and volumes. */
  private readonly notes = new Map<string, Written>();

  constructor(
    private readonly store: Store,
    private readonly later: Later,
    private readonly pace: Pace,
    private readonly paths: ReadonlyMap<string, DataPath>,
    private readonly wake: () => void,
  ) {}

  acknowledged(namespace: string, claim: string): Written | undefined {
    return this.notes.get(this.store.get('persistentvolumeclaims', namespace, claim).metadata.uid!);
  }

  private volumesOf(pod: KubeObject): Omit<OpenVolume, 'entries'>[] {
    const claims = claimsOf(this.store, pod);
    return volumesFor(this.store, pod).flatMap((volume) => {
      const { driver, volumeHandle } = volume.spec!.csi as { driver: string; volumeHandle: string };
      const [backend = '', id = ''] = volumeHandle.split('/');
      const path = driver.startsWith('vast-moorage') ? this.paths.get(backend) : undefined;
      const claim = claims.find((c) => c?.spec?.volumeName === volume.metadata.name);
      const isAlone = ((volume.spec?.accessModes ?? []) as string[]).every((m) => m.startsWith('ReadWriteOnce'));
      return path && claim && isAlone ? [{ claim, volume, path, id }] : [];
    });
  }

  /** Whether a pod has read what it holds; begins to read where it has not. */
  isOpen(pod: KubeObject): boolean {
    const uid = pod.metadata.uid!;
    const there = this.running.get(uid);
    if (there || this.paths.size === 0) return there?.volumes !== undefined || !there;
    const volumes = this.volumesOf(pod);
    const process: Process = { pod, isOver: false, toldAt: 0, work: Promise.resolve() };
    this.running.set(uid, process);
    if (volumes.length === 0) process.volumes = [];
    else void this.open(process, volumes);
    return process.volumes !== undefined;
  }

  private async open(process: Process, volumes: readonly Omit<OpenVolume, 'entries'>[]): Promise<void> {
    const { pod } = process;
    const uid = pod.metadata.uid!;
    try {
      process.volumes = await Promise.all(
        volumes.map(async (v) => ({ ...v, entries: inOrder(await v.path.read(v.id, uid)) })),
      );
      // it ended, or its machine went off, while it read
      if (process.isOver) return;
      this.tell(process);
      this.goOn(process);
      this.wake();
    } catch (error) {
      if (process.isOver) return;
      this.complain(pod, 'DataNotRead', 'What it holds could not be read', error);
      this.later.after(`open ${uid}`, againMs, () => {
        if (this.running.get(uid) === process) this.running.delete(uid);
        this.wake();
      });
    }
  }

  /** It writes as long as it lives. */
  private goOn(process: Process): void {
    if (this.pace.writeMs <= 0) return;
    this.later.after(`write ${process.pod.metadata.uid}`, this.pace.writeMs, () => {
      if (process.isOver) return;
      void this.writeOnce(process).then(() => this.goOn(process));
    });
  }

  /** One write more to each of its volumes, after those before it; false where one was not acknowledged, which its pod is told. */
  private writeOnce(process: Process): Promise<boolean> {
    const done = process.work.then(async () => {
      const { volumes = [] } = process;
      const written = await Promise.all(volumes.map((v) => this.append(process, v)));
      if (volumes.some((v) => (v.entries.at(-1)?.n ?? 0) >= process.toldAt + tellEvery)) this.tell(process);
      return written.every(Boolean);
    });
    process.work = done;
    return done;
  }

  /** Says in an event of its pod what it could not do with its data, and why. */
  private complain(pod: KubeObject, reason: 'DataNotRead' | 'DataNotWritten', what: string, error: unknown): void {
    const message = `${what}: ${error instanceof Error ? error.message : String(error)}`;
    note(this.store, 'Pod', pod, { type: 'Warning', reason, message, by: 'kubelet' });
  }

  /** One write more; false where it was not acknowledged. */
  private async append(process: Process, open: OpenVolume): Promise<boolean> {
    const { pod, isOver } = process;
    if (isOver || !isAttached(this.store, open.volume, String(pod.spec!.nodeName))) return false;
    const last = open.entries.at(-1);
    const n = (last?.n ?? 0) + 1;
    const text = `${pod.metadata.name} on ${pod.spec!.nodeName}, write ${n}`;
    const entry = (open.pending ??= { n, text, chain: fingerprintOf(last?.chain ?? '', text) });
    try {
      await open.path.write(open.id, entry.n % slots, JSON.stringify(entry), pod.metadata.uid!);
    } catch (error) {
      // asked again as it is, with the next
      if (!process.isOver)
        this.complain(pod, 'DataNotWritten', `A write to ${open.claim.metadata.name} was not acknowledged`, error);
      return false;
    }
    open.pending = undefined;
    open.entries = [...open.entries, entry].slice(-slots);
    // an answer that comes to a machine that is off is heard by nobody
    if (!process.isOver) this.notes.set(open.claim.metadata.uid!, { writes: entry.n, fingerprint: entry.chain });
    return true;
  }

  /** Says on its pod what it holds. */
  private tell(process: Process): void {
    const { namespace, name, uid } = process.pod.metadata;
    const pod = this.store.find('pods', namespace, name);
    if (!pod || pod.metadata.uid !== uid) return;
    const held = (process.volumes ?? []).filter((v) => v.entries.length > 0);
    process.toldAt = Math.max(0, ...held.map((v) => v.entries.at(-1)!.n));
    if (held.length === 0) return;
    const data = Object.fromEntries(
      held.map((v) => [
        v.claim.metadata.name,
        v.entries
          .slice(-told)
          .reverse()
          .map((e) => `${e.n}:${e.chain}`)
          .join(' '),
      ]),
    );
    this.store.amend('pods', pod, (copy) => {
      copy.metadata.annotations = { ...copy.metadata.annotations, [dataAnnotation]: JSON.stringify(data) };
    });
  }

  /** Writes so often for a pod, one after the other; what was acknowledged of each of its claims then. */
  async write(namespace: string, name: string, count: number): Promise<Record<string, Written | undefined>> {
    const { uid } = this.store.get('pods', namespace, name).metadata;
    const process = this.running.get(uid!);
    if (!process?.volumes) throw new Error(`pod ${namespace}/${name} does not run`);
    for (let i = 0; i < count; i++)
      if (!(await this.writeOnce(process))) throw new Error(`a write of ${namespace}/${name} was not acknowledged`);
    this.tell(process);
    return Object.fromEntries(
      process.volumes.map((v) => [v.claim.metadata.name, this.notes.get(v.claim.metadata.uid!)]),
    );
  }

  /** A pod that is told to end writes what it has begun, and says what it leaves; true once it has. */
  hasEnded(pod: KubeObject): boolean {
    const uid = pod.metadata.uid!;
    const process = this.running.get(uid);
    if (!process?.volumes?.length) {
      this.forget(uid);
      return true;
    }
    if (!process.isOver) {
      const done = () => {
        if (this.running.get(uid) !== process) return;
        this.running.delete(uid);
        this.tell(process);
        this.wake();
      };
      const last = process.work;
      process.isOver = true;
      void last.then(done);
    }
    return false;
  }

  /** A machine is off: what ran there is no more, in the middle of what it did. */
  kill(isThere: (pod: KubeObject) => boolean): void {
    for (const [uid, process] of this.running) if (isThere(process.pod)) this.forget(uid);
  }

  /** A pod that is no more. */
  forget(uid: string): void {
    const process = this.running.get(uid);
    if (process) process.isOver = true;
    this.running.delete(uid);
  }
}
