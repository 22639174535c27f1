import { endPod } from './node-life';
import { selection } from './selectors';
import { StatusError, invalid } from './status';
import type { KubeObject, Store } from './store';

interface Budget {
  readonly minAvailable?: number | string;
  readonly maxUnavailable?: number | string;
  readonly selector?: { matchLabels?: Record<string, string> };
}

const isUp = (pod: KubeObject): boolean =>
  !pod.metadata.deletionTimestamp &&
  (pod.status?.conditions ?? []).some((c) => c.type === 'Ready' && c.status === 'True');
const share = (of: number | string, all: number): number =>
  typeof of === 'string' && of.endsWith('%') ? Math.ceil((Number(of.slice(0, -1)) / 100) * all) : Number(of);

const podsOf = (store: Store, budget: KubeObject): KubeObject[] => {
  const labels = Object.entries((budget.spec as Budget | undefined)?.selector?.matchLabels ?? {});
  const selects = selection('pods', labels.map(([k, v]) => `${k}=${v}`).join(',') || undefined, undefined);
  return store.list('pods', budget.metadata.namespace).filter(selects);
};

function countBudget(store: Store, budget: KubeObject) {
  const { minAvailable, maxUnavailable } = (budget.spec ?? {}) as Budget;
  const pods = podsOf(store, budget);
  const healthy = pods.filter(isUp).length;
  const desired =
    maxUnavailable !== undefined
      ? pods.length - share(maxUnavailable, pods.length)
      : share(minAvailable ?? 0, pods.length);
  return {
    currentHealthy: healthy,
    desiredHealthy: Math.max(0, desired),
    disruptionsAllowed: Math.max(0, healthy - Math.max(0, desired)),
    expectedPods: pods.length,
  };
}

/** Counts what budgets allow. */
export function countBudgets(store: Store): void {
  for (const budget of store.list('poddisruptionbudgets')) {
    const status = { ...budget.status, ...countBudget(store, budget) };
    if (JSON.stringify(status) !== JSON.stringify(budget.status ?? {}))
      store.amend('poddisruptionbudgets', budget, (copy) => {
        copy.status = status;
      });
  }
}

/** Ends a pod as far as every budget that it is in allows it. */
export function evict(store: Store, namespace: string, name: string, body: unknown): void {
  const asked = body as
    { metadata?: { name?: string }; deleteOptions?: { preconditions?: { uid?: string } } } | undefined;
  const pod = store.get('pods', namespace, name);
  if (asked?.metadata?.name !== undefined && asked.metadata.name !== name)
    throw invalid('Eviction', name, [
      { field: 'metadata.name', message: 'must be the name of the pod', reason: 'FieldValueInvalid' },
    ]);
  const uid = asked?.deleteOptions?.preconditions?.uid;
  if (uid !== undefined && uid !== pod.metadata.uid)
    throw new StatusError(
      409,
      'Conflict',
      `Precondition failed: UID in precondition: ${uid}, UID in object meta: ${pod.metadata.uid}`,
    );
  if (pod.metadata.deletionTimestamp) return;
  const over = store
    .list('poddisruptionbudgets', namespace)
    .filter((b) => podsOf(store, b).some((p) => p.metadata.uid === pod.metadata.uid))
    .find((b) => countBudget(store, b).disruptionsAllowed <= 0);
  // one that is not ready anyway disturbs nothing
  if (over && isUp(pod))
    throw new StatusError(429, 'TooManyRequests', "Cannot evict pod as it would violate the pod's disruption budget.", [
      {
        field: '',
        reason: 'DisruptionBudget',
        message: `The disruption budget ${over.metadata.name} needs ${countBudget(store, over).desiredHealthy} healthy pods and has ${countBudget(store, over).currentHealthy} currently`,
      },
    ]);
  endPod(store, pod);
}
