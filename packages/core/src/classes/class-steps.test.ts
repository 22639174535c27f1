import fc from 'fast-check';
import { covers, objectOf, type Manifest, type PlatformStep } from '../acts/platform-step';
import {
  changedSettings,
  filled,
  planClassChange,
  planClassDrafts,
  planDefault,
  planNewClass,
  type ClassDraft,
  type StandingClass,
} from './class-steps';
import { defaultClassAnnotation, strategyAnnotation, toManifest } from './manifest';
import { plainClass, type StorageClass } from './storage-class';

const cls = (name: string, part: Partial<StorageClass> = {}): StorageClass => ({ ...plainClass, name, ...part });
const standing = (
  storageClass: StorageClass,
  {
    isDefault = false,
    annotations = {},
    labels = {},
  }: { isDefault?: boolean; annotations?: object; labels?: object } = {},
): StandingClass => {
  const manifest = toManifest(storageClass, isDefault);
  const metadata = { ...manifest.metadata, annotations: { ...manifest.metadata.annotations, ...annotations }, labels };
  return { storageClass, isDefault, manifest: { ...manifest, metadata } as StandingClass['manifest'] };
};
const words = ({ do: what, object }: PlatformStep) => `${what} ${object.metadata.name}`;

/** A platform that knows classes alone. */
class Shelf {
  readonly there = new Map<string, Manifest>();
  constructor(classes: readonly StandingClass[]) {
    for (const { manifest } of classes) this.there.set(manifest.metadata.name, manifest);
  }
  private merge(patch: Manifest): void {
    const now = this.there.get(patch.metadata.name)!;
    const annotations = Object.fromEntries(
      Object.entries({ ...now.metadata.annotations, ...patch.metadata.annotations }).filter(([, v]) => v !== null),
    );
    const { metadata: _metadata, ...members } = patch;
    this.there.set(patch.metadata.name, { ...now, ...members, metadata: { ...now.metadata, annotations } });
  }
  carry(step: PlatformStep): void {
    if (step.do === 'patch') this.merge(step.object);
    else this.there.set(step.object.metadata.name, step.object);
  }
  carryBack(step: PlatformStep): void {
    if (step.do === 'patch') this.merge(step.back);
    else if (step.do === 'replace') this.there.set(step.was.metadata.name, step.was);
    else this.there.delete(step.object.metadata.name);
  }
  get defaults(): string[] {
    return [...this.there.values()]
      .filter((m) => m.metadata.annotations?.[defaultClassAnnotation] === 'true')
      .map((m) => m.metadata.name);
  }
}

test('parity says how many copies are lost with which nothing is lost', () =>
  expect(filled({ ...cls('ec'), shards: { data: 4, parity: 2 } }).copies).toBe(3));

test('a class with a mark of its own is made with it, and is no default by being made', () => {
  const { steps, entries } = planNewClass({ ...cls('fresh'), isDefault: true }, { 'x/succeeds': 'old' });
  expect(steps).toHaveLength(1);
  expect(steps[0]!.object.metadata.annotations).toEqual({ 'x/succeeds': 'old' });
  expect(objectOf(steps[0]!)).toBe('class fresh');
  expect(entries).toMatchObject([{ action: 'create', subject: 'fresh' }]);
});

test('of two defaults there are two for a moment, never none', () =>
  expect(planDefault('new', ['old', 'older']).steps.map(words)).toEqual(['patch new', 'patch old', 'patch older']));

test('who is the default already is not marked again', () => expect(planDefault('old', ['old']).steps).toEqual([]));

describe('a change', () => {
  test('of nothing asks for nothing', () => {
    const now = standing(cls('ledger'));
    expect(planClassChange(now, now.storageClass)).toEqual({ steps: [], entries: [] });
  });

  test('of what the platform leaves open is a patch, whose way back is what stood there', () => {
    const now = standing(cls('ledger', { strategy: 'pack' }), { annotations: { [strategyAnnotation]: 'pack' } });
    const [step] = planClassChange(now, cls('ledger', { strategy: 'spread' as StorageClass['strategy'] })).steps;
    expect(step).toMatchObject({
      do: 'patch',
      back: {
        metadata: { annotations: { [strategyAnnotation]: 'pack' } },
        allowVolumeExpansion: now.storageClass.expansion,
      },
    });
    const bare = planClassChange(standing(cls('ledger')), cls('ledger', { expansion: !plainClass.expansion })).steps[0];
    expect(bare).toMatchObject({ back: { metadata: { annotations: { [strategyAnnotation]: null } } } });
  });

  test('of what the platform fixes makes it anew, with what others wrote on it', () => {
    const now = standing(cls('ledger'), {
      isDefault: true,
      labels: { owner: 'quay' },
      annotations: { 'other.example/note': 'kept', [strategyAnnotation]: 'pack' },
    });
    const wanted = cls('ledger', { copies: 2 });
    expect(changedSettings(now.storageClass, wanted)).toEqual({ all: ['copies'], fixed: ['copies'] });
    const [step] = planClassChange(now, wanted).steps;
    expect(step).toMatchObject({
      do: 'replace',
      object: {
        metadata: {
          labels: { owner: 'quay' },
          annotations: { 'other.example/note': 'kept', [defaultClassAnnotation]: 'true' },
        },
      },
      was: { metadata: { annotations: { [strategyAnnotation]: 'pack' } } },
    });
    expect(step!.object.metadata.annotations).not.toHaveProperty([strategyAnnotation]);
  });
});

test('a draft is asked for in one order, whatever order it was drafted in', () => {
  const classes = new Map([['ledger', standing(cls('ledger'))]]);
  const { steps } = planClassDrafts(
    [
      { kind: 'default', className: 'fresh' },
      { kind: 'class-change', storageClass: cls('ledger', { copies: 2 }), was: cls('ledger') },
      { kind: 'class', storageClass: { ...cls('fresh'), isDefault: false } },
    ],
    classes,
    ['ledger'],
  );
  expect(steps.map(words)).toEqual(['make fresh', 'replace ledger', 'patch fresh', 'patch ledger']);
});

test('any draft, carried and taken back, the last first, leaves all as it was; carried, there is one default', () =>
  fc.assert(
    fc.property(
      fc.uniqueArray(fc.constantFrom('a', 'b', 'c', 'd'), { minLength: 1 }),
      fc.array(
        fc.record({
          kind: fc.constantFrom('class' as const, 'class-change' as const, 'default' as const),
          name: fc.constantFrom('a', 'b', 'c', 'd', 'new-1', 'new-2'),
          copies: fc.integer({ min: 1, max: 5 }),
          expansion: fc.boolean(),
          isDefault: fc.boolean(),
        }),
        { maxLength: 6 },
      ),
      (names, drafted) => {
        const classes = new Map<string, StandingClass>(
          names.map((name, i) => [name, standing(cls(name), { isDefault: i === 0 })]),
        );
        const made = new Set<string>();
        const changed = new Set<string>();
        const changes = drafted.flatMap(({ kind, name, copies, expansion, isDefault }): ClassDraft[] => {
          const wanted = cls(name, { copies, expansion });
          if (kind === 'class' && !classes.has(name) && !made.has(name)) {
            made.add(name);
            return [{ kind, storageClass: { ...wanted, isDefault } }];
          }
          if (kind === 'class-change' && classes.has(name) && !changed.has(name)) {
            changed.add(name);
            return [{ kind, storageClass: wanted, was: cls(name) }];
          }
          return kind === 'default' && classes.has(name) ? [{ kind, className: name }] : [];
        });
        const shelf = new Shelf([...classes.values()]);
        const plain = () =>
          JSON.stringify(
            [...shelf.there].sort(([a], [b]) => a.localeCompare(b)).map(([name, m]) => [name, essence(m)]),
          );
        const before = plain();
        const { steps } = planClassDrafts(changes, classes, [names[0]!]);
        for (const step of steps) {
          shelf.carry(step);
          // asked once more, as after a crash, it is the same
          if (step.do === 'patch') shelf.carry(step);
          expect(shelf.defaults.length).toBeGreaterThan(0);
        }
        expect(shelf.defaults).toHaveLength(1);
        for (const step of [...steps].reverse()) shelf.carryBack(step);
        expect(plain()).toBe(before);
      },
    ),
  ));

/** A manifest without members that are empty, in one order. */
function essence(value: unknown): unknown {
  if (Array.isArray(value)) return value.map(essence);
  if (typeof value !== 'object' || value === null) return value;
  return Object.fromEntries(
    Object.entries(value)
      .map(([key, v]) => [key, essence(v)] as const)
      .filter(([, v]) => v !== undefined && !(typeof v === 'object' && v !== null && Object.keys(v).length === 0))
      .sort(([a], [b]) => (a < b ? -1 : 1)),
  );
}

describe('what is asked for is there', () => {
  test.each<[string, unknown, unknown, boolean]>([
    ['with more beside it', { a: 1, b: 2 }, { a: 1 }, true],
    ['with another value', { a: 1 }, { a: 2 }, false],
    ['deep within', { a: { b: ['x'] }, c: 1 }, { a: { b: ['x'] } }, true],
    ['with a longer list', { a: ['x', 'y'] }, { a: ['x'] }, false],
    ['where nothing was asked for', {}, { a: {} }, true],
    ['where it is missing', {}, { a: { b: 1 } }, false],
    ['where it was to be absent', {}, { a: null }, true],
  ])('%s', (_what, there, asked, expected) => expect(covers(there, asked)).toBe(expected));
});
