import { createHash } from 'node:crypto';
import type { KubeObject, Store } from './store';

/** Says in an event what the platform did about an object, or why it does not; what was said already is counted, not said anew. */
export function note(
  store: Store,
  kind: 'Pod' | 'PersistentVolumeClaim',
  { metadata }: KubeObject,
  event: {
    readonly type: 'Normal' | 'Warning';
    readonly reason: string;
    readonly message: string;
    readonly by: string;
  },
): void {
  const { type, reason, message, by } = event;
  const { name, namespace, uid } = metadata;
  const digest = createHash('sha256').update(`${uid} ${reason} ${message}`).digest('hex').slice(0, 16);
  if (store.find('events', namespace, `${name}.${digest}`)) return;
  const now = new Date().toISOString();
  store.create('events', {
    metadata: { name: `${name}.${digest}`, namespace },
    involvedObject: { apiVersion: 'v1', kind, namespace, name, uid },
    ...{ type, reason, message, count: 1, firstTimestamp: now, lastTimestamp: now, source: { component: by } },
  });
}
