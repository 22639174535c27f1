import fc from 'fast-check';
import { localityOf, type LocalClaim } from './locality';

const GiB = 2 ** 30;
const disk = (node: string, used = 0, part = {}) => ({
  ...{ id: `${node}-d`, node, domain: node, capacity: 100 * GiB, used, usable: true },
  ...part,
});
const claim = (nodes: readonly string[], part: Partial<LocalClaim> = {}): LocalClaim => ({
  ...{ name: 'data', provisioned: 10 * GiB, written: 3 * GiB, disks: ['a', 'b', 'c'].map((n) => disk(n)) },
  copies: nodes.map((node) => ({ disk: `${node}-d`, node, state: 'in-sync' as const })),
  ...part,
});
const all = new Set(['a', 'b', 'c']);
const at = (node: string, ...claims: LocalClaim[]) => localityOf([{ pod: 'p-0', node, claims }], all)[0]!;

test('a replica with a copy in step on its node reads there, and nothing is to be moved', () => {
  expect(at('a', claim(['a', 'b']))).toEqual({ pod: 'p-0', node: 'a', claims: [{ claim: 'data', isLocal: true }] });
});

test('one without is told of the copy that would come, what that copies, and where the pod could go instead', () => {
  expect(at('c', claim(['a', 'b']))).toEqual({
    ...{ pod: 'p-0', node: 'c', podTo: { node: 'a', local: 1 } },
    claims: [
      { claim: 'data', isLocal: false, copyTo: { disk: 'c-d', fromNode: 'b', fromDisk: 'b-d', bytes: 3 * GiB } },
    ],
  });
});

test('no copy goes where there is no room, nor while it would leave none in step', () => {
  const full = claim(['a', 'b'], { disks: [disk('a'), disk('b'), disk('c', 95 * GiB)] });
  expect(at('c', full).claims[0]!.copyTo).toBeUndefined();
  const behind = claim(['a', 'b']);
  const one = { ...behind, copies: [behind.copies[0]!, { ...behind.copies[1]!, state: 'stale' as const }] };
  expect(at('c', one).claims[0]!.copyTo).toBeUndefined();
});

test('in a rack that holds a copy already, that one goes', () => {
  const racks = [disk('a', 0, { domain: 'r1' }), disk('b', 0, { domain: 'r2' }), disk('c', 0, { domain: 'r1' })];
  expect(at('c', claim(['a', 'b'], { disks: racks })).claims[0]!.copyTo).toMatchObject({ fromNode: 'a' });
});

test('a pod is only sent to nodes that take pods, and to one where more is read locally', () => {
  const [replica] = localityOf([{ pod: 'p-0', node: 'c', claims: [claim(['a', 'b'])] }], new Set(['b', 'c']));
  expect(replica!.podTo).toEqual({ node: 'b', local: 1 });
  expect(localityOf([{ pod: 'p-0', node: 'c', claims: [claim(['a'])] }], new Set(['c']))[0]!.podTo).toBeUndefined();
});

test('wherever copies lie, the copy that is moved is one of the volume and goes to the node of its pod', () => {
  const nodes = fc.uniqueArray(fc.constantFrom('a', 'b', 'c', 'd'), { minLength: 1, maxLength: 4 });
  fc.assert(
    fc.property(nodes, fc.constantFrom('a', 'b', 'c', 'd'), (lying, node) => {
      const of = claim(lying, { disks: ['a', 'b', 'c', 'd'].map((n) => disk(n)) });
      const [seen] = at(node, of).claims;
      expect(seen!.isLocal).toBe(lying.includes(node));
      if (seen!.copyTo) {
        expect(lying).toContain(seen!.copyTo.fromNode);
        expect(seen!.copyTo.disk).toBe(`${node}-d`);
      }
    }),
  );
});
