import { mkdtempSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { kelpSeed } from '../backend-seeds';
import { Journal } from '../journal';
import { Backend } from './model';

const gib = 2 ** 30;
const drives = ['kelp-01-d1', 'kelp-02-d1'];
const seed = () => ({ ...kelpSeed(), createMs: 0, resyncRate: 1000 * gib });
const nodeOf = (drive: string) => seed().drives.find((d) => d.id === drive)!.node;

let box: Backend;
let volume: string;
const made: Backend[] = [];
function open(journal = new Journal()): Backend {
  const backend = new Backend(seed(), journal);
  made.push(backend);
  return backend;
}
beforeEach(() => {
  box = open();
  const { pool } = { pool: [...box.pools.values()].find((p) => p.kind === 'copies' && !p.internal)! };
  const [one, other] = box.drivesOf(pool).filter((d, i, all) => all.findIndex((o) => o.node === d.node) === i);
  drives.splice(0, 2, one!.id, other!.id);
  volume = box.create({ name: 'tides', pool: pool.id, capacity: gib, drives: [...drives] }).volume.id;
  box.readBlocks(volume, 'host');
});
afterEach(() => made.splice(0).forEach((b) => b.stop()));

const states = () => box.volume(volume).copies.map((c) => c.state);
const write = (block: number, text: string) => box.writeBlock(volume, block, text, 'host');
const read = () => box.readBlocks(volume, 'host').sort(([a], [b]) => a - b);
const set = (drive: string, up: boolean) => box.setNode(nodeOf(drive), up);
async function inStep(): Promise<void> {
  for (let i = 0; i < 200 && states().some((s) => s !== 'Synchronized'); i++)
    await new Promise((resolve) => setTimeout(resolve, 20));
  expect(states()).toEqual(['Synchronized', 'Synchronized']);
}

test('a copy that was away is brought up to date before anything is read from it', async () => {
  write(1, 'before');
  set(drives[0]!, false);
  write(1, 'meanwhile');
  box.holdsResync = true;
  set(drives[0]!, true);
  set(drives[1]!, false);
  expect(() => read()).toThrow(/in step can be reached/);
  expect(() => write(2, 'into the old')).toThrow(/in step can be reached/);
  set(drives[1]!, true);
  expect(read()).toEqual([[1, 'meanwhile']]);
  box.holdsResync = false;
  await inStep();
  set(drives[1]!, false);
  expect(read()).toEqual([[1, 'meanwhile']]);
});

test('the copy that was written last is the one that the others follow, in whichever order they come back', async () => {
  write(1, 'both');
  set(drives[0]!, false);
  write(1, 'one');
  set(drives[1]!, false);
  set(drives[0]!, true);
  expect(states()).toEqual(['Synchronizing', 'Failed']);
  expect(() => read()).toThrow(/in step can be reached/);
  set(drives[1]!, true);
  expect(read()).toEqual([[1, 'one']]);
  await inStep();
});

test('a copy that is moved holds what was written on its way', async () => {
  write(1, 'before');
  const pool = box.pool(box.volume(volume).pool);
  const others = box.drivesOf(pool).filter((d) => !drives.map(nodeOf).includes(d.node));
  box.relayVolume(volume, [drives[1]!, others[0]!.id]);
  write(2, 'on its way');
  await inStep();
  set(drives[1]!, false);
  expect(read()).toEqual([
    [1, 'before'],
    [2, 'on its way'],
  ]);
});

test('what a host sent before another took the volume over is refused when it comes late', () => {
  box.readBlocks(volume, 'another');
  expect(() => write(1, 'late')).toThrow(/written by another host/);
});

test('what was acknowledged is there after a restart, and gone with its volume', () => {
  const file = join(mkdtempSync(join(tmpdir(), 'moorage-blocks-')), 'box.jsonl');
  const first = open(new Journal(file));
  const { id } = first.create({
    name: 'kept',
    pool: box.volume(volume).pool,
    capacity: gib,
    drives: [...drives],
  }).volume;
  first.writeBlock(id, 3, 'kept', 'host');
  first.stop();
  const again = open(new Journal(file));
  expect(again.readBlocks(id, 'host')).toEqual([[3, 'kept']]);
  again.remove(id);
  again.stop();
  expect([...new Journal(file).load().keys()].filter((k) => k.startsWith('block/'))).toEqual([]);
});
