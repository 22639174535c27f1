import fc from 'fast-check';
import { consequences, findingKinds, rankFindings, type FindingKind } from './finding';

const kinds = Object.keys(findingKinds) as FindingKind[];

test('data at risk comes before blocked claims, those before time, that before waste; larger first', () => {
  const order = rankFindings([
    { id: 'a', kind: 'capacity-stranded', weight: 9e15 },
    { id: 'b', kind: 'pool-filling', weight: 1 },
    { id: 'c', kind: 'claims-stuck', weight: 2 },
    { id: 'd', kind: 'claims-stuck', weight: 7 },
    { id: 'e', kind: 'disk-failed', weight: 0 },
  ]);
  expect(order.map((f) => f.id).join('')).toBe('edcba');
});

test('the order does not depend on the order they were found in, and every kind has a consequence', () => {
  expect(kinds.every((k) => consequences.includes(findingKinds[k]))).toBe(true);
  const some = fc.uniqueArray(fc.record({ id: fc.string(), kind: fc.constantFrom(...kinds), weight: fc.nat(3) }), {
    selector: (f) => f.id,
  });
  fc.assert(fc.property(some, (list) => expect(rankFindings([...list].reverse())).toEqual(rankFindings(list))));
});
