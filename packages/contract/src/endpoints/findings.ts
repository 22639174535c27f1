import { z } from 'zod';
import { asideSchema, findingSchema } from '../findings';
import { engineering, reading, type Endpoint } from './endpoint';

export const findingsEndpoints = {
  listFindings: {
    method: 'get',
    path: '/api/findings',
    summary: 'What needs a person, worst first',
    allowed: reading,
    response: z.array(findingSchema),
  },
  setAside: {
    method: 'put',
    path: '/api/findings/:id/aside',
    summary: 'Set a finding aside until a date, with a reason',
    allowed: engineering,
    body: asideSchema,
    status: 204,
  },
  takeUp: {
    method: 'delete',
    path: '/api/findings/:id/aside',
    summary: 'Take a finding up again',
    allowed: engineering,
    status: 204,
  },
} as const satisfies Record<string, Endpoint>;
