import fc from 'fast-check';
import { binding, releasing } from '../binder/kinds';
import { reshaping } from '../reshapes/kind';
import { assertSound, endsOf, mayMove, setTo, standing, type Kind, type Work } from './kind';
import { pauseAfter } from './operation';

const kinds = [binding, releasing, reshaping] as Kind[];

test.each(kinds.map((k) => [k.kind, k] as const))('%s: from every state one gets to an end', (_name, kind) => {
  const leadsTo = (from: string, seen = new Set([from])): Set<string> => {
    for (const to of kind.states[from]!.to) if (!seen.has(to)) leadsTo(to, seen.add(to));
    return seen;
  };
  const ends = endsOf(kind);
  for (const state of Object.keys(kind.states))
    expect([state, [...leadsTo(state)].some((s) => ends.includes(s))]).toEqual([state, true]);
});

const step = () => Promise.resolve(undefined);
const sound: Work = {
  kind: {
    kind: 'made-up',
    title: 'Made up',
    begins: 'first',
    holds: 'made-up',
    steered: [],
    states: {
      first: { words: '', to: ['last'] },
      last: { words: '', to: [], stays: 'end' },
    },
  },
  steps: { first: step },
  tells: () => ({ topic: 'operations' }),
};
const wrong = (kind: Partial<Kind>, steps = sound.steps): Work => ({
  ...sound,
  kind: { ...sound.kind, ...kind },
  steps,
});

test('a kind that is sound is taken', () => expect(() => assertSound(sound)).not.toThrow());
test.each<[string, Work]>([
  ['begins in nowhere', wrong({ begins: 'nowhere' })],
  ['is undone in back', wrong({ undo: 'back' })],
  ['from first to away', wrong({ states: { ...sound.kind.states, first: { words: '', to: ['away'] } } })],
  ['stays in first and has no step', wrong({}, {})],
  ['ends in last and has a step', wrong({}, { first: step, last: step })],
  ['never leaves first', wrong({ states: { ...sound.kind.states, first: { words: '', to: [] } } })],
  ['never comes to other', wrong({ states: { ...sound.kind.states, other: { words: '', to: [], stays: 'end' } } })],
])('a kind that %s is refused before the server begins', (why, work) => expect(() => assertSound(work)).toThrow(why));

test('what is held is let go at the end, but by a kind that a subject has once', () => {
  expect(standing(sound.kind, 'first')).toEqual({ resting: false, ended: false, holds: 'made-up' });
  expect(standing(sound.kind, 'last')).toEqual({ resting: false, ended: true, holds: null });
  expect(standing({ ...sound.kind, once: true }, 'last')).toMatchObject({ ended: true, holds: 'made-up' });
  expect(standing(binding, 'waiting')).toMatchObject({ resting: true, ended: false });
  expect(setTo(binding, 'bound')).toContain("ended_at = now(), holds = 'bind'");
  expect(mayMove(binding, 'bound', 'waiting')).toBe(false);
});

test('pauses grow, are spread, and end at five minutes', () =>
  fc.assert(
    fc.property(fc.integer({ min: 1, max: 60 }), fc.double({ min: 0, max: 0.999, noNaN: true }), (attempts, random) => {
      const pause = pauseAfter(attempts, random);
      expect(pause).toBeGreaterThanOrEqual(0.75);
      expect(pause).toBeLessThanOrEqual(375);
      expect(pauseAfter(attempts + 1, random)).toBeGreaterThanOrEqual(pause);
    }),
  ));
