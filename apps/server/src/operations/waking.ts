import type { LiveEvent } from '@moorage/contract/live';
import type { Helped } from './operations';

/** Which claims that fit nowhere a change may help; undefined: none. A reservation made elsewhere never does. */
export function helpedBy({ topic, subject }: LiveEvent): Helped | undefined {
  switch (topic) {
    case 'moorings':
      return subject === undefined ? {} : { className: subject.split('/')[0]! };
    case 'classes':
      return subject === undefined ? {} : { className: subject };
    case 'backends':
      return subject === undefined ? undefined : { backend: subject.split('/')[0]! };
    case 'pools':
      return subject === undefined ? undefined : { pool: subject };
    case 'namespaces':
      return subject === undefined ? undefined : { namespace: subject };
    default:
      return undefined;
  }
}

/** Never runs twice at once: a call while it runs is passed over. */
export function oneAtATime(work: () => Promise<void>): () => Promise<void> {
  let running = false;
  return async () => {
    if (running) return;
    running = true;
    try {
      await work();
    } finally {
      running = false;
    }
  };
}
