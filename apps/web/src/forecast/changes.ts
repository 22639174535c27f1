import type { AskedChange, WhatIf, Wish } from '@moorage/contract/forecast';
import { whatIfSchema } from '@moorage/contract/forecast';
import dayjs from 'dayjs';

export const changeKinds = ['application', 'capacity', 'copy', 'move', 'growth'] as const;
export const changeTitles: Readonly<Record<AskedChange['kind'], string>> = {
  application: 'A new application',
  capacity: 'More disks in a pool',
  copy: 'One copy more in a class',
  move: 'A namespace to another class',
  growth: 'Another growth',
};

/** What there is to choose from. */
export interface Names {
  readonly classes: readonly string[];
  readonly pools: readonly string[];
  readonly namespaces: readonly string[];
}

/** A change of a kind to begin with. */
export function newChange(kind: AskedChange['kind'], { classes, pools, namespaces }: Names): AskedChange {
  const from = dayjs().add(1, 'day').format('YYYY-MM-DD');
  const [cls = '', other = cls] = classes;
  switch (kind) {
    case 'application':
      return { kind, className: cls, bytes: 2 ** 40, iops: 0, from };
    case 'capacity':
      return { kind, pool: pools[0] ?? '', raw: 10 * 2 ** 40, from };
    case 'copy':
      return { kind, className: cls };
    case 'move':
      return { kind, namespace: namespaces[0] ?? '', from: cls, to: other };
    case 'growth':
      return { kind, of: 'site', name: '', times: 2 };
  }
}

export const firstWish: Wish = { days: 180, pricePerTiB: { fast: null, standard: null, deep: null } };

/** What is asked, if it can be asked. */
export function readWhatIf(asked: WhatIf): WhatIf | undefined {
  const read = whatIfSchema.safeParse(asked);
  return read.success ? read.data : undefined;
}
