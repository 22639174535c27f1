import { carvingSchema, freeInstanceSchema } from '../instances';
import { engineering, type Endpoint } from './endpoint';

export const instancesEndpoints = {
  getCarving: {
    method: 'get',
    path: '/api/pools/:pool/instances',
    summary: 'Instances bought of a pool, what is carved out of each, and what would free one',
    allowed: engineering,
    response: carvingSchema,
  },
  freeInstance: {
    method: 'post',
    path: '/api/pools/:pool/instances/:instance/free',
    summary: 'Move the shares of an instance to others, and give it back',
    allowed: engineering,
    body: freeInstanceSchema,
    bodyLimit: 256 * 1024,
    response: carvingSchema,
  },
} as const satisfies Record<string, Endpoint>;
