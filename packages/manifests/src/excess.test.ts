import { excessOf } from './excess';
import { manifestLimits } from '@moorage/contract/manifest-limits';
import { readManifestText } from './text';

const lines = (count: number, line: (i: number) => string) =>
  Array.from({ length: count }, (_, i) => line(i)).join('\n');

describe('a manifest past a limit is refused before it is read, with the limit and the line', () => {
  test.each([
    ['depth', '['.repeat(2000)],
    ['depth', '- '.repeat(1000)],
    ['depth', '{a: '.repeat(500)],
    ['depth', lines(60, (i) => `${' '.repeat(i)}a:`)],
    ['anchors', lines(12_000, (i) => `- &a${i} x`)],
    ['aliases', `- &a x\n${lines(5000, () => '- *a')}`],
    ['keysInOne', lines(10_000, (i) => `key${i}: v`)],
    ['keysInOne', `{${lines(800, (i) => `k${i}: 1,`)}}`],
    ['keysInOne', lines(9_000, () => 'a: 1')],
    ['keys', lines(30_000, () => 'a: 1')],
    ['entries', lines(30_000, () => '- a')],
    ['entries', `[${'a,'.repeat(30_000)}]`],
    ['documents', 'a: 1\n---\n'.repeat(300)],
    ['characters', ' '.repeat(manifestLimits.characters + 1)],
  ])('%s', (limit, text) => {
    expect(excessOf(text)).toMatchObject({ limit, most: manifestLimits[limit as keyof typeof manifestLimits] });
    const [broken, ...more] = readManifestText(text);
    expect(more).toEqual([]);
    expect(broken!.what).toBe('broken');
    expect(broken!.problems[0]!.detail).toMatch(
      /^This is not read: .*\(line \d+\)\. Split it into smaller manifests\.$/,
    );
  });

  test('the line is that of the excess', () => {
    expect(excessOf(`a: 1\nb: 2\nc: ${'['.repeat(100)}`)).toMatchObject({ limit: 'depth', line: 3 });
  });
});

test('what is within every limit is read, however much of it there is', () => {
  const claim = (i: number) =>
    `apiVersion: v1\nkind: PersistentVolumeClaim\nmetadata: {name: c${i}, namespace: ferry-desk}\nspec:\n  accessModes: [ReadWriteOnce]\n  resources: {requests: {storage: 1Gi}}`;
  const text = Array.from({ length: 200 }, (_, i) => claim(i)).join('\n---\n');
  expect(excessOf(text)).toBeUndefined();
  expect(readManifestText(text).filter((o) => o.what === 'claim')).toHaveLength(200);
});

test('marks inside texts count for nothing', () => {
  const text = `kind: ConfigMap\nmetadata: {name: a}\ndata:\n  script: |\n${lines(3000, () => '    [[ -f x ]] && { echo "*a &b - ? :" , ; }')}\n  quoted: "${'[{'.repeat(400)}"\n`;
  expect(excessOf(text)).toBeUndefined();
});
