import { wasteAsideSchema, wasteQuerySchema, wasteSchema, wasteTakeUpSchema } from '../waste';
import { claiming, reading, type Endpoint } from './endpoint';

export const wasteEndpoints = {
  listWaste: {
    method: 'get',
    path: '/api/waste',
    summary: 'What could be had back: claims that nobody mounts, fills or needs that fast, classes that nobody uses',
    allowed: reading,
    query: wasteQuerySchema,
    response: wasteSchema,
  },
  setWasteAside: {
    method: 'post',
    path: '/api/waste/aside',
    summary: 'Set some of it aside until a day, with a reason',
    allowed: claiming,
    body: wasteAsideSchema,
    status: 204,
  },
  takeWasteUp: {
    method: 'post',
    path: '/api/waste/taken-up',
    summary: 'Take up again what was set aside',
    allowed: claiming,
    body: wasteTakeUpSchema,
    status: 204,
  },
} as const satisfies Record<string, Endpoint>;
