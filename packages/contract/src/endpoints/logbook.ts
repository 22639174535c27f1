import { logPageSchema, pageQuerySchema } from '../logbook';
import { reading, type Endpoint } from './endpoint';

export const logbookEndpoints = {
  listLogbook: {
    method: 'get',
    path: '/api/logbook',
    summary: 'Who changed what, newest first',
    allowed: reading,
    query: pageQuerySchema,
    response: logPageSchema,
  },
} as const satisfies Record<string, Endpoint>;
