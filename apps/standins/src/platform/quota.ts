import { parseQuantity } from '@moorage/core/sizes/quantity';
import { resourceOf } from './resources';
import { forbidden } from './status';
import type { KubeObject, Store } from './store';

const byClass = /^(.+)\.storageclass\.storage\.k8s\.io\/(requests\.storage|persistentvolumeclaims)$/;

const bytesOf = (text: unknown): number => {
  const size = parseQuantity(String(text ?? '0'));
  return size.ok ? size.bytes : 0;
};
const sizeOf = (claim: KubeObject): number => bytesOf(claim.spec?.resources?.requests?.storage);

/** What one claim uses of a quota's item; 0 where it is about something else. */
function useOf(item: string, claim: KubeObject): number {
  const named = byClass.exec(item);
  if (named && claim.spec?.storageClassName !== named[1]) return 0;
  const of = named ? named[2] : item;
  if (of === 'requests.storage') return sizeOf(claim);
  return of === 'persistentvolumeclaims' || of === 'count/persistentvolumeclaims' ? 1 : 0;
}
const isBytes = (item: string): boolean => item.endsWith('requests.storage');

const usedOf = (store: Store, namespace: string, item: string): number =>
  store.list('persistentvolumeclaims', namespace).reduce((sum, claim) => sum + useOf(item, claim), 0);

const told = (item: string, amount: number): string => {
  if (!isBytes(item)) return String(amount);
  for (const [unit, power] of [
    ['Ti', 40],
    ['Gi', 30],
    ['Mi', 20],
    ['Ki', 10],
  ] as const)
    if (amount > 0 && amount % 2 ** power === 0) return `${amount / 2 ** power}${unit}`;
  return String(amount);
};

/** Refuses a claim, or its growth from `before`, that goes over a quota of its namespace. */
export function admitByQuota(store: Store, claim: KubeObject, before?: KubeObject): void {
  const { namespace, name } = claim.metadata;
  for (const quota of store.list('resourcequotas', namespace)) {
    const hard = (quota.spec?.hard ?? {}) as Record<string, string>;
    const over: { item: string; asked: number; used: number; limit: number }[] = [];
    for (const [item, text] of Object.entries(hard)) {
      const asked = useOf(item, claim) - (before ? useOf(item, before) : 0);
      if (asked <= 0) continue;
      const used = usedOf(store, namespace!, item);
      const limit = isBytes(item) ? bytesOf(text) : Number(text);
      if (used + asked > limit) over.push({ item, asked, used, limit });
    }
    if (over.length === 0) continue;
    const list = (of: 'asked' | 'used' | 'limit') => over.map((o) => `${o.item}=${told(o.item, o[of])}`).join(',');
    throw forbidden(
      resourceOf('persistentvolumeclaims'),
      name,
      `exceeded quota: ${quota.metadata.name}, requested: ${list('asked')}, used: ${list('used')}, limited: ${list('limit')}`,
    );
  }
}

/** Says in each quota what is used of it. */
export function countQuotas(store: Store): void {
  for (const quota of store.list('resourcequotas')) {
    const hard = (quota.spec?.hard ?? {}) as Record<string, string>;
    const used = Object.fromEntries(
      Object.keys(hard).map((item) => [item, told(item, usedOf(store, quota.metadata.namespace!, item))]),
    );
    store.amend('resourcequotas', quota, (copy) => {
      copy.status = { hard, used };
    });
  }
}
