import fc from 'fast-check';

/** What may happen to a call to the outside: it is refused, or done and its answer lost, or never comes there. */
export type Fate = 'answered' | 'refused' | 'lost' | 'unreachable';

/** Lets a call that changes something meet its fate; gives a copy of what it gave, as the wire would. */
export async function meet<T>(
  fate: Fate,
  problem: (of: 'refused' | 'unreachable', detail: string) => Error,
  work: () => T,
): Promise<T> {
  await Promise.resolve();
  if (fate === 'unreachable') throw problem('unreachable', 'nobody answers');
  if (fate === 'refused') throw problem('refused', 'refused');
  const done = work();
  if (fate === 'lost') throw problem('unreachable', 'the answer was lost');
  return structuredClone(done);
}

/** Fates of the calls of a run, one after the other, of which half are answered; long lists as likely as short ones. */
export const fates = fc.array(fc.constantFrom<Fate>('answered', 'answered', 'lost', 'unreachable'), {
  maxLength: 16,
  size: 'max',
});
/** After which steps the server dies. */
export const deaths = fc.array(fc.boolean(), { maxLength: 12, size: 'max' });
