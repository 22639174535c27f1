import fc from 'fast-check';
import { safe, usable, type Scheme } from '../capacity/usable';
import { bytes, GiB } from '../sizes/bytes';
import { assessDesign, forbids, type ClusterDesign } from './design';
import { fromPortable, toPortable } from './design-file';
import { unfit, type InventoryDisk } from './disk';
import { suggestDesign } from './suggest';
import { aDisk, inventories } from './testing';

const byId = (disks: readonly InventoryDisk[]) => new Map(disks.map((d) => [d.id, d]));
const three: Scheme = { kind: 'copies', copies: 3 };
const schemes = fc.constantFrom<Scheme>(
  { kind: 'copies', copies: 2 },
  three,
  { kind: 'erasure', data: 2, parity: 1 },
  { kind: 'erasure', data: 4, parity: 2 },
);

describe('a disk is not taken', () => {
  test.each<[string, Partial<InventoryDisk>]>([
    ['system', { use: 'system' }],
    ['mounted', { use: 'mounted' }],
    ['partitioned', { use: 'partitioned' }],
    ['owned', { use: 'owned', owner: 'kelp-nvme' }],
    ['nameless', { lasting: false }],
    ['broken', { works: false }],
    ['failing', { failing: true }],
    ['worn', { lifeLeft: 9 }],
    ['too-small', { capacity: bytes(99 * GiB) }],
  ])('when it is %s', (why, part) => expect(unfit(aDisk('a', 'n', part))).toBe(why));

  test('of several reasons the one that would destroy data is said', () =>
    expect(unfit(aDisk('a', 'n', { use: 'mounted', works: false, lasting: false }))).toBe('mounted'));
});

describe('a suggestion', () => {
  test('never picks an unfit disk, gives no disk two roles, and is always the same', () =>
    fc.assert(
      fc.property(inventories, fc.constantFrom('node', 'rack'), fc.option(schemes), (disks, level, scheme) => {
        const wanted = { pool: 'p', level: level as 'node' | 'rack', ...(scheme && { scheme }) };
        const design = suggestDesign(disks, wanted);
        const all = byId(disks);
        const ids = [...design.data, ...design.metadata];
        expect(ids.filter((id) => unfit(all.get(id)!) !== undefined)).toEqual([]);
        expect(new Set(ids).size).toBe(ids.length);
        expect(suggestDesign([...disks].reverse(), wanted)).toEqual(design);
      }),
    ));

  test('leaves out only disks that add nothing to what can be kept', () =>
    fc.assert(
      fc.property(inventories, (disks) => {
        const design = suggestDesign(disks, { pool: 'p', level: 'node', scheme: three });
        const all = byId(disks);
        const media = new Set(design.data.map((id) => all.get(id)!.media));
        const pool = disks.filter(
          (d) => unfit(d) === undefined && media.has(d.media) && !design.metadata.includes(d.id),
        );
        const usableOf = (ids: readonly string[]) =>
          assessDesign({ ...design, data: ids, metadata: [] }, all).capacity.usable;
        expect(usableOf(design.data)).toBe(usableOf(pool.map((d) => d.id)));
      }),
    ));

  test('takes small fast disks for the metadata when three domains have one', () => {
    const disks = ['n1', 'n2', 'n3', 'n4'].flatMap((node) => [
      aDisk(`${node}-big`, node),
      aDisk(`${node}-small`, node, { capacity: bytes(800 * GiB) }),
      aDisk(`${node}-boot`, node, { use: 'system', capacity: bytes(480 * GiB) }),
    ]);
    const design = suggestDesign(disks, { pool: 'p', level: 'node' });
    expect(design).toMatchObject({ scheme: three, metadata: ['n1-small', 'n2-small', 'n3-small', 'n4-small'] });
    expect(design.data).toEqual(['n1-big', 'n2-big', 'n3-big', 'n4-big']);
    expect(assessDesign(design, byId(disks)).problems.filter(forbids)).toEqual([]);
  });
});

describe('a design', () => {
  test('comes to usable and safe by the formulas, to the byte', () =>
    fc.assert(
      fc.property(inventories, schemes, fc.constantFrom('node', 'rack'), (disks, scheme, level) => {
        const data = disks.filter((d) => unfit(d) === undefined).map((d) => d.id);
        const design: ClusterDesign = { pool: 'p', scheme, level: level as 'node' | 'rack', data, metadata: [] };
        const assessed = assessDesign(design, byId(disks));
        const capacities = assessed.domains.map((d) => d.capacity as number);
        expect(assessed.capacity.usable).toBe(usable(capacities, scheme));
        expect(assessed.capacity.safe).toBe(safe(capacities, scheme));
        expect(assessed.domains.reduce((sum, d) => sum + d.disks, 0)).toBe(data.length);
      }),
    ));

  const disks = ['n1', 'n2', 'n3', 'n4'].map((n) => aDisk(`${n}-a`, n));
  const design = (part: Partial<ClusterDesign> = {}): ClusterDesign => ({
    pool: 'p',
    scheme: three,
    level: 'node',
    data: disks.map((d) => d.id),
    metadata: [],
    ...part,
  });
  const codes = (d: ClusterDesign, all = byId(disks), free?: Map<string, { cores: number; memory: number }>) =>
    assessDesign(d, all, free).problems.map((p) => p.code);

  test('says what may fail: without loss, and with everything made whole again', () => {
    expect(assessDesign(design(), byId(disks))).toMatchObject({ survives: 2, healsAfter: 1, problems: [] });
    expect(assessDesign(design({ data: ['n1-a', 'n2-a'] }), byId(disks))).toMatchObject({ survives: 0, healsAfter: 0 });
  });
  test('needs three domains, and as many as its protection is wide', () => {
    expect(codes(design({ scheme: { kind: 'copies', copies: 2 }, data: ['n1-a', 'n2-a'] }))).toEqual([
      'too-few-domains',
    ]);
    expect(codes(design({ scheme: { kind: 'erasure', data: 4, parity: 2 } }))).toEqual(['too-few-domains']);
  });
  test('refuses what is unknown, unfit or taken twice', () => {
    expect(codes(design({ data: [...design().data, 'gone'] }))).toEqual(['unknown-disk']);
    expect(codes(design({ metadata: ['n1-a'] }))).toContain('two-roles');
    const used = byId([...disks.slice(1), aDisk('n1-a', 'n1', { use: 'system' })]);
    expect(codes(design(), used)).toEqual(['unfit-disk']);
  });
  test('wants fast metadata in three domains, and enough of it', () => {
    const meta = ['n1', 'n2', 'n3'].map((n) => aDisk(`${n}-m`, n, { capacity: bytes(200 * GiB) }));
    const all = byId([...disks, ...meta, aDisk('n4-slow', 'n4', { media: 'HDD' })]);
    expect(codes(design({ metadata: meta.map((d) => d.id) }), all)).toEqual([]);
    expect(codes(design({ metadata: ['n1-m'] }), all)).toEqual(['metadata-domains']);
    expect(codes(design({ metadata: ['n1-m', 'n2-m', 'n4-slow'] }), all)).toEqual(['slow-metadata']);
  });
  test('says which node lacks memory or cores for it', () => {
    const free = new Map([['n2', { cores: 1, memory: 4 * GiB }]]);
    expect(codes(design(), byId(disks), free)).toEqual(['short-of-memory', 'short-of-cores']);
  });
});

describe('a design in a file', () => {
  test('opens on its own nodes as it was, in disks of the same kinds', () =>
    fc.assert(
      fc.property(inventories, (disks) => {
        const design = suggestDesign(disks, { pool: 'p', level: 'node', scheme: three });
        const all = byId(disks);
        const opened = fromPortable(toPortable(design, all), disks);
        expect(opened.missing).toEqual([]);
        expect(toPortable(opened.design, all)).toEqual(toPortable(design, all));
      }),
    ));

  test('opens on other nodes, and says what they lack', () => {
    const here = ['n1', 'n2', 'n3'].flatMap((n) => [aDisk(`${n}-a`, n), aDisk(`${n}-b`, n)]);
    const file = toPortable(suggestDesign(here, { pool: 'p', level: 'node', scheme: three }), byId(here));
    const there = [...['g1', 'g2'].flatMap((n) => [aDisk(`${n}-a`, n), aDisk(`${n}-b`, n)]), aDisk('g3-a', 'g3')];
    const { design, missing } = fromPortable(file, there);
    expect(design.data).toEqual(expect.arrayContaining(['g1-a', 'g1-b', 'g2-a', 'g2-b', 'g3-a']));
    expect(missing).toEqual([expect.objectContaining({ node: 'n3', onto: 'g3', role: 'data', short: 1 })]);
  });
  test('never chooses an unfit disk on other nodes', () =>
    fc.assert(
      fc.property(inventories, inventories, (here, there) => {
        const file = toPortable(suggestDesign(here, { pool: 'p', level: 'node', scheme: three }), byId(here));
        const { design } = fromPortable(file, there);
        const all = byId(there);
        expect([...design.data, ...design.metadata].every((id) => unfit(all.get(id)!) === undefined)).toBe(true);
      }),
    ));
});
