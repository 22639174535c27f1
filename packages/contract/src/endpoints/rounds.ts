import { roundPlanSchema, roundRequestSchema, roundSchema } from '../rounds';
import { claiming, mebibyte, reading, type Endpoint } from './endpoint';

export const roundsEndpoints = {
  planRound: {
    method: 'post',
    path: '/api/rounds/plan',
    summary: 'What one change of many claims would bring about',
    allowed: claiming,
    body: roundRequestSchema,
    bodyLimit: mebibyte,
    response: roundPlanSchema,
  },
  beginRound: {
    method: 'post',
    path: '/api/rounds',
    summary: 'Make one change to many claims, one after the other',
    allowed: claiming,
    body: roundRequestSchema,
    bodyLimit: mebibyte,
    response: roundSchema,
    status: 202,
  },
  getRound: {
    method: 'get',
    path: '/api/rounds/:id',
    summary: 'How far a change of many claims is, and what was refused',
    allowed: reading,
    response: roundSchema,
  },
} as const satisfies Record<string, Endpoint>;
