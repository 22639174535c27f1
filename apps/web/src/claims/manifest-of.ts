import type { ClaimDetail } from '@moorage/contract/claims';
import { stringify } from 'yaml';

type Plain = Readonly<Record<string, unknown>>;
const record = (value: unknown): Plain => (value !== null && typeof value === 'object' ? (value as Plain) : {});

/** Annotations that the platform and its controllers write, and that mean nothing elsewhere. */
const ofTheMoment =
  /^(pv\.kubernetes\.io|volume\.kubernetes\.io|volume\.beta\.kubernetes\.io|kubectl\.kubernetes\.io)\//;

/** A claim as it would be asked for again: what the platform added since is left out. */
export function manifestOf({ manifest }: Pick<ClaimDetail, 'manifest'>): Plain {
  const { metadata, spec } = record(manifest);
  const { name, namespace, labels, annotations } = record(metadata);
  const { volumeName: _volume, ...asked } = record(spec);
  const kept = Object.fromEntries(Object.entries(record(annotations)).filter(([key]) => !ofTheMoment.test(key)));
  return {
    apiVersion: 'v1',
    kind: 'PersistentVolumeClaim',
    metadata: {
      ...{ name, namespace },
      ...(Object.keys(record(labels)).length > 0 && { labels }),
      ...(Object.keys(kept).length > 0 && { annotations: kept }),
    },
    spec: asked,
  };
}

/** Many claims as one text of YAML documents. */
export const manifestsText = (claims: readonly Pick<ClaimDetail, 'manifest'>[]): string =>
  claims.map((claim) => stringify(manifestOf(claim))).join('---\n');
