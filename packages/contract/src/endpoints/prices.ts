import { z } from 'zod';
import { tiers } from '../backends';
import {
  newRateSchema,
  rateSchema,
  statementExportQuerySchema,
  statementQuerySchema,
  statementSchema,
} from '../prices';
import { engineering, reading, type Endpoint } from './endpoint';

export const pricesEndpoints = {
  listRates: {
    method: 'get',
    path: '/api/rates',
    summary: 'Prices by tier, each from a day on',
    allowed: reading,
    response: z.array(rateSchema),
  },
  setRate: {
    method: 'put',
    path: '/api/rates',
    summary: 'Set the price of a tier from a day on; months that are over keep theirs',
    allowed: engineering,
    body: newRateSchema,
    status: 204,
  },
  dropRate: {
    method: 'delete',
    path: '/api/rates/:tier/:from',
    summary: 'Take away a price that has not begun',
    allowed: engineering,
    params: z.object({ tier: z.enum(tiers), from: z.iso.date() }),
    status: 204,
  },
  getStatement: {
    method: 'get',
    path: '/api/statement',
    summary: 'What a month costs, line by line, to the cent',
    allowed: reading,
    query: statementQuerySchema,
    response: statementSchema,
  },
  exportStatement: {
    method: 'get',
    path: '/api/statement/export',
    summary: 'The same as CSV or JSON',
    allowed: reading,
    query: statementExportQuerySchema,
  },
} as const satisfies Record<string, Endpoint>;
