import { useGridSchema, useQuerySchema } from '../usage';
import { reading, type Endpoint } from './endpoint';

export const usageEndpoints = {
  getUse: {
    method: 'get',
    path: '/api/use',
    summary: 'What is used, by namespace or team and by class, tier, pool, backend or application, now or at a moment',
    allowed: reading,
    query: useQuerySchema,
    response: useGridSchema,
  },
} as const satisfies Record<string, Endpoint>;
