import type { Found } from '@moorage/contract/lookup';

const kindWords: Record<Found['kind'], string> = {
  claim: 'claim',
  adrift: 'held by no claim',
  bucket: 'bucket',
  pod: 'pod',
  application: 'application',
  disk: 'disk',
  node: 'node',
  pool: 'pool',
  backend: 'backend',
  class: 'class',
  namespace: 'namespace',
};

/** Where something that was found is shown. */
export function placeOf({ kind, name, of, by }: Found): string {
  const q = encodeURIComponent(name);
  switch (kind) {
    case 'claim':
      return `/claims/${of}/${name}`;
    case 'adrift':
      return `/claims/salvage?volume=${encodeURIComponent(by ?? '')}`;
    case 'bucket':
      return `/claims/buckets?bucket=${encodeURIComponent(`${of}/${name}`)}`;
    case 'application':
      return `/apps/${of}/${name}`;
    case 'pod':
      return `/claims?namespace=${of}&q=${q}`;
    case 'disk':
      return `/claims?q=${q}`;
    case 'node':
      return `/apps/nodes?node=${q}`;
    case 'pool':
      return `/backends?pool=${q}`;
    case 'backend':
      return `/backends/${name}`;
    case 'class':
      return `/classes/${name}`;
    case 'namespace':
      return `/claims?namespace=${q}`;
  }
}

/** What it is, beside its name. */
export const detailOf = ({ kind, of, by }: Found): string => {
  if (kind === 'disk') return `disk of ${of}, in ${by}: the claims on it`;
  const at = kind === 'pool' || kind === 'bucket' || kind === 'pod' || kind === 'application' ? ` of ${of}` : '';
  return `${kindWords[kind]}${at}${kind === 'claim' && by ? `, ${by.length > 24 ? `…${by.slice(-20)}` : by}` : ''}`;
};
