import fc from 'fast-check';
import { placeCopies, type ReplicaDisk } from './place';

const disk = (id: string, domain: string, capacity: number, part: Partial<ReplicaDisk> = {}): ReplicaDisk => ({
  id,
  node: domain,
  domain,
  capacity,
  used: 0,
  usable: true,
  ...part,
});
const uneven = [
  disk('a1', 'a', 100),
  disk('a2', 'a', 300),
  disk('b1', 'b', 200),
  disk('c1', 'c', 250),
  disk('d1', 'd', 50),
];

describe('placing copies', () => {
  test('goes to the domains and disks with most room', () =>
    expect(placeCopies(uneven, { copies: 3, size: 10 })).toEqual({
      ok: true,
      copies: [
        { domain: 'a', node: 'a', disk: 'a2', role: 'data' },
        { domain: 'c', node: 'c', disk: 'c1', role: 'data' },
        { domain: 'b', node: 'b', disk: 'b1', role: 'data' },
      ],
    }));

  test('keeps one copy beside the first pod', () => {
    const result = placeCopies(uneven, { copies: 2, size: 10, preferNode: 'd' });
    expect(result.ok && result.copies.map((c) => c.disk)).toEqual(['d1', 'a2']);
  });

  test('says how many domains could take a copy', () =>
    expect(placeCopies(uneven, { copies: 3, size: 220 })).toEqual({
      ok: false,
      problem: 'too-few-domains',
      need: 3,
      have: 2,
    }));

  test('a witness sits on a third domain and needs no room', () => {
    const full = [disk('a1', 'a', 100), disk('b1', 'b', 100), disk('c1', 'c', 100, { used: 100 })];
    const result = placeCopies(full, { copies: 2, size: 50, witness: 'wanted' });
    expect(result.ok && result.copies[2]).toEqual({ domain: 'c', node: 'c', disk: 'c1', role: 'witness' });
    expect(placeCopies(full.slice(0, 2), { copies: 2, size: 50, witness: 'wanted' })).toMatchObject({
      problem: 'no-witness-domain',
    });
  });

  test('pinned copies stay on the named nodes', () => {
    const result = placeCopies(uneven, { copies: 2, size: 10, pinned: ['b', 'd'] });
    expect(result.ok && result.copies.map((c) => c.node)).toEqual(['b', 'd']);
  });

  const disks = fc.array(
    fc.record({
      domain: fc.constantFrom('a', 'b', 'c', 'd'),
      capacity: fc.nat(100),
      used: fc.nat(60),
      usable: fc.boolean(),
    }),
    { maxLength: 12 },
  );
  test('never on an unusable or full disk, never two on one domain, and found whenever there is a way', () =>
    fc.assert(
      fc.property(disks, fc.integer({ min: 1, max: 4 }), fc.nat(60), (made, copies, size) => {
        const all = made.map((d, i) => disk(`disk-${i}`, d.domain, d.capacity, d));
        const result = placeCopies(all, { copies, size });
        const able = new Set(all.filter((d) => d.usable && d.capacity - d.used >= size).map((d) => d.domain));
        expect(result.ok).toBe(able.size >= copies);
        if (!result.ok) return;
        expect(new Set(result.copies.map((c) => c.domain)).size).toBe(copies);
        for (const copy of result.copies) {
          const on = all.find((d) => d.id === copy.disk)!;
          expect(on.usable && on.capacity - on.used >= size).toBe(true);
        }
      }),
    ));
});
