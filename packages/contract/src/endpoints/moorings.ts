import { z } from 'zod';
import {
  appliedSchema,
  draftSchema,
  keptPlanSchema,
  mooringChangeSchema,
  mooringOrderSchema,
  mooringSchema,
  placementStateSchema,
  plannedPlacesSchema,
} from '../moorings';
import { mebibyte, operating, reading, type Endpoint } from './endpoint';

export const mooringsEndpoints = {
  applyDraft: {
    method: 'post',
    path: '/api/drafts',
    summary: 'Apply changes of classes and moorings as a whole, or tell what stands against them',
    allowed: operating,
    body: draftSchema,
    bodyLimit: mebibyte,
    response: appliedSchema,
  },
  planPlaces: {
    method: 'post',
    path: '/api/planned-places',
    summary: 'Keep a plan for many claims: each goes to its pool when it comes',
    allowed: operating,
    body: plannedPlacesSchema,
    bodyLimit: 2 * mebibyte,
    status: 204,
  },
  listPlans: {
    method: 'get',
    path: '/api/planned-places',
    summary: 'Kept plans with claims still to come',
    allowed: reading,
    response: z.array(keptPlanSchema),
  },
  dropPlan: {
    method: 'delete',
    path: '/api/planned-places/:plan',
    summary: 'Let a kept plan go; its claims are then placed as their classes choose',
    allowed: operating,
    status: 204,
  },
  listMoorings: {
    method: 'get',
    path: '/api/moorings',
    summary: 'All moorings',
    allowed: reading,
    response: z.array(mooringSchema),
  },
  setMooring: {
    method: 'put',
    path: '/api/moorings/:className/:pool',
    summary: 'Make or change a mooring (If-Match when it exists)',
    allowed: operating,
    body: mooringChangeSchema,
    response: mooringSchema,
  },
  orderMoorings: {
    method: 'put',
    path: '/api/moorings/:className',
    summary: 'Order the pools of a class',
    allowed: operating,
    body: mooringOrderSchema,
    response: z.array(mooringSchema),
  },
  placementState: {
    method: 'get',
    path: '/api/placement',
    summary: 'All that a decision looks at',
    allowed: reading,
    response: placementStateSchema,
  },
} as const satisfies Record<string, Endpoint>;
