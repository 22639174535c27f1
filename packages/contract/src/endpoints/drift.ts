import { driftPageSchema, driftQuerySchema, mendAnswerSchema, mendSchema } from '../drift';
import { operating, reading, type Endpoint } from './endpoint';

export const driftEndpoints = {
  listDrifts: {
    method: 'get',
    path: '/api/drift',
    summary: 'What is declared of volumes and is otherwise in one of their worlds, the oldest first',
    allowed: reading,
    query: driftQuerySchema,
    response: driftPageSchema,
  },
  mendDrifts: {
    method: 'post',
    path: '/api/drift',
    summary: 'Put right what differs, for one volume or many',
    allowed: operating,
    body: mendSchema,
    response: mendAnswerSchema,
    status: 202,
  },
} as const satisfies Record<string, Endpoint>;
