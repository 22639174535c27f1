import fc from 'fast-check';
import { toManifest } from '@moorage/core/classes/manifest';
import { plainClass, type StorageClass } from '@moorage/core/classes/storage-class';
import { stringify } from 'yaml';
import { readManifestText, writeClassInto } from './text';

const ours = `# kept for the ferry desk
apiVersion: storage.k8s.io/v1
kind: StorageClass
metadata:
  name: ledger # never rename
  labels:
    team: desk
provisioner: vast-moorage.example
parameters:
  # three, since the harbour flood
  vast-moorage.example/copies: "3"
  vast-moorage.example/encrypted: "true"
reclaimPolicy: Retain
`;
const foreign = `apiVersion: storage.k8s.io/v1
kind: StorageClass
metadata: {name: driftwood, annotations: {plank.example/owner: 'crew'}}
provisioner: plank.example
parameters:
  plank.example/grain:   along   # as it grew
  knots: "7"
reclaimPolicy: Delete
`;

describe('reading manifests that nobody here wrote', () => {
  test('several documents: ours, another provisioner’s, something else, and nothing', () => {
    const text = `${ours}---\n${foreign}---\napiVersion: v1\nkind: ConfigMap\nmetadata:\n  name: tides\n---\n`;
    const read = readManifestText(text);
    expect(read.map((o) => [o.what, o.name, o.line, o.problems.length])).toEqual([
      ['ours', 'ledger', 2, 0],
      ['foreign', 'driftwood', 15, 0],
      ['other', 'tides', 24, 0],
    ]);
    expect(read[0]!.storageClass).toEqual({
      ...plainClass,
      name: 'ledger',
      copies: 3,
      encrypted: true,
      reclaim: 'Retain',
    });
    expect(read[0]!.understood.map((m) => [m.path, m.line])).toContainEqual([
      'parameters.vast-moorage.example/copies',
      11,
    ]);
    expect(read[0]!.kept.map((m) => m.path)).toEqual(['metadata.labels']);
    expect(read[1]!.kept.map((m) => m.path)).toEqual([
      'metadata.annotations.plank.example/owner',
      'parameters.plank.example/grain',
      'parameters.knots',
    ]);
  });

  test('JSON, and lists in both forms', () => {
    const object = toManifest({ ...plainClass, name: 'general' }, true);
    const [one] = readManifestText(JSON.stringify(object, null, 2));
    expect([one!.what, one!.name, one!.isDefault]).toEqual(['ours', 'general', true]);
    const list = { apiVersion: 'v1', kind: 'List', items: [object, { ...object, provisioner: 'plank.example' }] };
    for (const text of [JSON.stringify(list), stringify(list)])
      expect(readManifestText(text).map((o) => [o.what, o.item])).toEqual([
        ['ours', 0],
        ['foreign', 1],
      ]);
  });

  test('what is wrong is told by its line, with what was meant', () => {
    const text = ours.replace('"3"', 'three').replace('encrypted:', 'encripted:').replace('Retain', 'retain');
    const { problems } = readManifestText(text)[0]!;
    expect(problems.map((p) => [p.line, p.fix?.insert])).toEqual([
      [11, '"3"'],
      [13, 'Retain'],
      [12, 'vast-moorage.example/encrypted'],
    ]);
    const mended = [...problems]
      .sort((a, b) => b.fix!.span.from - a.fix!.span.from)
      .reduce((t, { fix }) => t.slice(0, fix!.span.from) + fix!.insert + t.slice(fix!.span.to), text);
    expect(readManifestText(mended)[0]!.problems).toEqual([]);
    expect(mended).toContain('# three, since the harbour flood');
  });

  test.each([
    ['a number where a text belongs', ours.replace('"3"', '3'), 11, '"3"'],
    ['a wrong version', ours.replace('storage.k8s.io/v1', 'storage.k8s.io/v2'), 2, 'storage.k8s.io/v1'],
    ['broken YAML', ours.replace('metadata:', 'metadata: ['), 6, undefined],
    ['no kind', 'copies: 3\n', 1, undefined],
    ['a list', '- 1\n- 2\n', 1, undefined],
    ['no name', ours.replace('  name: ledger # never rename\n', ''), 5, undefined],
  ])('%s', (_name, text, line, insert) => {
    const [problem] = readManifestText(text).flatMap((o) => o.problems);
    expect([problem!.line, problem!.fix?.insert]).toEqual([line, insert]);
  });

  test('an alias that names nothing is told, not thrown', () => {
    const [object] = readManifestText(ours.replace('team: desk', 'team: *desk'));
    expect([object!.what, object!.line]).toEqual(['broken', 2]);
    expect(object!.problems[0]!.detail).toContain('Unresolved alias');
  });

  test('nothing that is typed makes it throw', () =>
    fc.assert(
      fc.property(fc.nat(ours.length), fc.nat(12), fc.string({ maxLength: 8 }), (at, length, typed) => {
        const text = ours.slice(0, at) + typed + ours.slice(at + length);
        for (const object of readManifestText(text))
          for (const { from, to } of object.problems) expect([from >= 0, to <= text.length + 1]).toEqual([true, true]);
      }),
      { numRuns: 500 },
    ));
});

describe('a strategy that was changed after the class was made', () => {
  const annotated = ours.replace(
    '  labels:',
    '  annotations:\n    vast-moorage.example/strategy: pack # by hand\n  labels:',
  );

  test('is read from its annotation, before the parameter', () => {
    const both = annotated.replace('copies: "3"', 'copies: "3"\n  vast-moorage.example/strategy: spread');
    for (const text of [annotated, both]) {
      const [object] = readManifestText(text);
      expect([object!.problems, object!.storageClass!.strategy]).toEqual([[], 'pack']);
    }
  });

  test('is written where it stands', () => {
    const [object] = readManifestText(annotated);
    for (const strategy of ['spread', 'in-order'] as const) {
      const text = writeClassInto(annotated, object!, { ...object!.storageClass!, strategy }, false);
      expect(text).toBe(annotated.replace('strategy: pack', `strategy: ${strategy}`));
    }
  });

  test('that is none is told at its line, with what was meant', () => {
    const [object] = readManifestText(annotated.replace('strategy: pack', 'strategy: spred'));
    expect(object!.problems).toMatchObject([
      { line: 7, path: ['metadata', 'annotations', 'vast-moorage.example/strategy'], fix: { insert: '"spread"' } },
    ]);
  });
});

describe('writing a class into a text', () => {
  const change = (text: string, part: Partial<StorageClass>, which = 0) => {
    const object = readManifestText(text)[which]!;
    return writeClassInto(text, object, { ...object.storageClass!, ...part }, object.isDefault);
  };

  test('a note beside a value stays when the value changes', () => {
    const noted = ours
      .replace('copies: "3"', 'copies: "3" # since the flood')
      .replace('reclaimPolicy: Retain', 'reclaimPolicy: Retain # for good');
    expect(change(noted, { copies: 2, reclaim: 'Delete', name: 'daybook' })).toBe(
      noted.replace('"3" #', '"2" #').replace('Retain #', 'Delete #').replace('name: ledger', 'name: daybook'),
    );
  });

  test('changes what was meant and nothing else', () => {
    const text = change(ours, { copies: 2 });
    expect(text).toBe(ours.replace('"3"', '"2"'));
    expect(change(ours, { reclaim: 'Delete' })).toBe(ours.replace('Retain', 'Delete'));
    expect(change(ours, { encrypted: false })).toBe(ours.replace('  vast-moorage.example/encrypted: "true"\n', ''));
    expect(change(ours, { expansion: true })).toBe(`${ours}allowVolumeExpansion: true\n`);
  });

  test('other documents stay as they are, to the letter', () => {
    const text = `${foreign}---\n${ours}---\n${foreign}`;
    const changed = change(text, { copies: 5, zones: ['north'] }, 1);
    expect(changed.startsWith(`${foreign}---\n`)).toBe(true);
    expect(changed.endsWith(`---\n${foreign}`)).toBe(true);
    expect(readManifestText(changed)[1]!.storageClass).toMatchObject({ copies: 5, zones: ['north'], encrypted: true });
  });

  test('an item of a list in JSON is changed in its place', () => {
    const list = {
      kind: 'List',
      apiVersion: 'v1',
      items: [toManifest({ ...plainClass, name: 'a' }, false), { kind: 'X' }],
    };
    const text = JSON.stringify(list, null, 4);
    const changed = change(text, { copies: 4 });
    expect(changed).toBe(text.replace('"vast-moorage.example/copies": "1"', '"vast-moorage.example/copies": "4"'));
  });

  const part = fc.record(
    {
      copies: fc.integer({ min: 1, max: 5 }),
      encrypted: fc.boolean(),
      graceDays: fc.nat(99),
      zones: fc.subarray(['north', 'middle']),
      mountOptions: fc.subarray(['noatime', 'discard']),
      expansion: fc.boolean(),
      reclaim: fc.constantFrom('Delete' as const, 'Retain' as const),
      iopsFloor: fc.option(
        fc.nat(9000).map((value) => ({ kind: 'fixed' as const, value })),
        { nil: undefined },
      ),
      fileSystem: fc.constantFrom('ext4' as const, 'xfs' as const, undefined),
    },
    { requiredKeys: [] },
  );
  test('read, written and read again is the same class; unchanged is the same text; comments stay', () =>
    fc.assert(
      fc.property(part, part, fc.boolean(), (first, second, inJson) => {
        const json = JSON.stringify(toManifest({ ...plainClass, name: 'ledger' }, false), null, 2);
        const start = inJson ? json : `${foreign}---\n${ours}`;
        const which = inJson ? 0 : 1;
        expect(change(start, {}, which)).toBe(start);
        let [text, cls] = [start, readManifestText(start)[which]!.storageClass!];
        for (const next of [first, second]) {
          text = change(text, next, which);
          cls = { ...cls, ...next };
          expect(readManifestText(text)[which]!.storageClass).toEqual(cls);
        }
        if (!inJson) {
          expect(text.startsWith(foreign)).toBe(true);
          for (const comment of ['# kept for the ferry desk', '# never rename']) expect(text).toContain(comment);
        }
      }),
      { numRuns: 200 },
    ));
});
