import { historyQuerySchema, historySchema } from '../history';
import { flowsQuerySchema, useFlowsSchema, useGridSchema, useQuerySchema } from '../usage';
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
  getFlows: {
    method: 'get',
    path: '/api/use/flows',
    summary: 'What namespaces use of which class on which pool, the largest and the rest, now or at a moment',
    allowed: reading,
    query: flowsQuerySchema,
    response: useFlowsSchema,
  },
  exportUse: {
    method: 'get',
    path: '/api/use/export',
    summary: 'The same as CSV',
    allowed: reading,
    query: useQuerySchema,
  },
  exportHistory: {
    method: 'get',
    path: '/api/history/export',
    summary: 'A history as CSV',
    allowed: reading,
    query: historyQuerySchema,
  },
  getHistory: {
    method: 'get',
    path: '/api/history',
    summary:
      'What was promised, written and done between two moments, of all, a namespace, class, pool, backend or claim',
    allowed: reading,
    query: historyQuerySchema,
    response: historySchema,
  },
} as const satisfies Record<string, Endpoint>;
