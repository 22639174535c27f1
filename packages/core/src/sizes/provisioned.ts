import { bytes, type Bytes } from './bytes';

export interface Granularity {
  /** The smallest volume the backend makes. */
  readonly minimum: Bytes;
  /** Volumes are whole multiples of this. */
  readonly granule: Bytes;
}

/** What the backend makes of a request: `ceil(max(request, minimum) / granule) × granule` (docs/calculations.md, Sizes). */
export function provisionedSize(request: Bytes, { minimum, granule }: Granularity): Bytes {
  return bytes(Math.ceil(Math.max(request, minimum) / granule) * granule);
}

export type ProvisionedReason = 'as-asked' | 'minimum' | 'granule';

/** Why the provisioned size is what it is. */
export function provisionedReason(request: Bytes, granularity: Granularity): ProvisionedReason {
  if (provisionedSize(request, granularity) === request) return 'as-asked';
  return request < granularity.minimum ? 'minimum' : 'granule';
}
