import { z } from 'zod';
import { foundSchema, lookupQuerySchema } from '../lookup';
import { reading, type Endpoint } from './endpoint';

export const lookupEndpoints = {
  lookUp: {
    method: 'get',
    path: '/api/lookup',
    summary: 'What has a text in its name or in an identifier of either world',
    allowed: reading,
    query: lookupQuerySchema,
    response: z.array(foundSchema),
  },
} as const satisfies Record<string, Endpoint>;
