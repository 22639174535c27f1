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
