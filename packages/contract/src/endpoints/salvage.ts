import {
  destroySchema,
  giveBackSchema,
  givenBackSchema,
  graceSchema,
  salvagePageSchema,
  salvageQuerySchema,
} from '../salvage';
import { claiming, operating, reading, type Endpoint } from './endpoint';

export const salvageEndpoints = {
  listSalvage: {
    method: 'get',
    path: '/api/salvage',
    summary: 'Volumes that no claim holds',
    allowed: reading,
    query: salvageQuerySchema,
    response: salvagePageSchema,
  },
  giveBack: {
    method: 'post',
    path: '/api/salvage',
    summary: 'Give volumes that no claim holds to claims',
    allowed: claiming,
    body: giveBackSchema,
    response: givenBackSchema,
    status: 202,
  },
  lengthenGrace: {
    method: 'post',
    path: '/api/salvage/grace',
    summary: 'Keep a volume longer before its data is destroyed',
    allowed: claiming,
    body: graceSchema,
    status: 204,
  },
  destroyVolume: {
    method: 'post',
    path: '/api/salvage/destroy',
    summary: 'Destroy a volume of ours that no claim holds, before its time',
    allowed: operating,
    body: destroySchema,
    status: 204,
  },
} as const satisfies Record<string, Endpoint>;
