import { pastClaimsQuerySchema, pastClaimsSchema, pastQuerySchema, pastSchema } from '../past';
import { reading, type Endpoint } from './endpoint';

export const pastEndpoints = {
  getPast: {
    method: 'get',
    path: '/api/past',
    summary: 'Pools, moorings and what was kept where, as they were at a moment',
    allowed: reading,
    query: pastQuerySchema,
    response: pastSchema,
  },
  listPastClaims: {
    method: 'get',
    path: '/api/past/claims',
    summary: 'The claims of a namespace as they were at a moment, page by page',
    allowed: reading,
    query: pastClaimsQuerySchema,
    response: pastClaimsSchema,
  },
} as const satisfies Record<string, Endpoint>;
