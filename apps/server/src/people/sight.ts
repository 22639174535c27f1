import type { LiveEvent } from '@moorage/contract/live';
import type { Person } from '@moorage/contract/people';

/**
 * Who sees what: the one place that decides it, for lists, single answers, totals and the event stream. A namespace owner's
 * world holds the own namespaces alone; what belongs to others is as if it were not there. Everybody else sees everything.
 */
export class Sight {
  /** Namespaces that are seen, for `$n::text[] IS NULL OR namespace = ANY($n)`; null: all of them. */
  readonly namespaces: readonly string[] | null;

  private constructor(namespaces: readonly string[] | null) {
    this.namespaces = namespaces;
  }

  static readonly everything = new Sight(null);

  static of(person: Person): Sight {
    return person.role === 'namespace-owner' ? new Sight(person.namespaces) : Sight.everything;
  }

  get isWhole(): boolean {
    return this.namespaces === null;
  }

  /** The same as a model's condition on that attribute. */
  where<A extends string>(attribute: A): Partial<Record<A, string[]>> {
    return (this.namespaces === null ? {} : { [attribute]: [...this.namespaces] }) as Partial<Record<A, string[]>>;
  }

  sees(namespace: string): boolean {
    return this.namespaces === null || this.namespaces.includes(namespace);
  }

  /** The live event as this person is told of it, if at all. */
  event(event: LiveEvent): LiveEvent | undefined {
    if (this.isWhole || event.subject === undefined) return event;
    switch (event.topic) {
      case 'claims':
      case 'namespaces':
      case 'limits':
        return this.sees(event.subject.split('/')[0]!) ? event : undefined;
      case 'logbook':
      case 'findings':
        return { topic: event.topic };
      default:
        return event;
    }
  }
}
