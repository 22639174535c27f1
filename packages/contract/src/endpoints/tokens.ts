import { z } from 'zod';
import { madeTokenSchema, newTokenSchema, tokenSchema } from '../tokens';
import { reading, type Endpoint } from './endpoint';

export const tokensEndpoints = {
  listTokens: {
    method: 'get',
    path: '/api/tokens',
    summary: 'Tokens for reading: the own ones, and everybody’s for administrators',
    allowed: reading,
    response: z.array(tokenSchema),
  },
  makeToken: {
    method: 'post',
    path: '/api/tokens',
    summary: 'Make a token that programs read with',
    allowed: reading,
    body: newTokenSchema,
    response: madeTokenSchema,
    status: 201,
  },
  revokeToken: {
    method: 'delete',
    path: '/api/tokens/:id',
    summary: 'Let a token read nothing any more',
    allowed: reading,
    params: z.object({ id: z.uuid() }),
    status: 204,
  },
  getUsageMetrics: {
    method: 'get',
    path: '/api/metrics',
    summary: 'Use, limits and runways in OpenMetrics: so many of each, and the rest together',
    allowed: reading,
    query: z.object({ top: z.coerce.number().int().min(1).max(1000).default(100) }),
  },
} as const satisfies Record<string, Endpoint>;
