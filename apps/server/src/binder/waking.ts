import type { LiveEvent } from '@moorage/contract/live';

/** What changed, as far as waiting claims rest on it. */
export interface Helped {
  readonly pool?: string;
  readonly backend?: string;
  readonly namespace?: string;
  readonly className?: string;
}

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
