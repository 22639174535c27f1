import { z } from 'zod';
import { newReshapeSchema, poolShapeSchema, reshapeSchema } from '../reshapes';
import { engineering, mebibyte, reading, type Endpoint } from './endpoint';

export const reshapesEndpoints = {
  getPoolShape: {
    method: 'get',
    path: '/api/backends/:id/pools/:pool/shape',
    summary: 'What lies on which disk of a pool',
    allowed: reading,
    response: poolShapeSchema,
  },
  listReshapes: {
    method: 'get',
    path: '/api/backends/:id/reshapes',
    summary: 'Changes to the disks of a backend, newest first',
    allowed: reading,
    response: z.array(reshapeSchema),
  },
  beginReshape: {
    method: 'post',
    path: '/api/backends/:id/reshapes',
    summary: 'Commission, grow, shrink or mend a cluster',
    allowed: engineering,
    body: newReshapeSchema,
    bodyLimit: 2 * mebibyte,
    response: reshapeSchema,
    status: 201,
  },
  undoReshape: {
    method: 'post',
    path: '/api/reshapes/:id/undo',
    params: z.object({ id: z.uuid() }),
    summary: 'Call a change off and give back what it took',
    allowed: engineering,
    response: reshapeSchema,
  },
} as const satisfies Record<string, Endpoint>;
