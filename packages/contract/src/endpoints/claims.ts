import { z } from 'zod';
import {
  claimDetailSchema,
  claimExportQuerySchema,
  claimPageSchema,
  claimSayingsSchema,
  claimQuerySchema,
  claimRowSchema,
  lineSchema,
  newClaimSchema,
} from '../claims';
import { deletionPlanSchema } from '../deletion';
import { growthAnswerSchema, growthQuerySchema, growthRequestSchema } from '../growth';
import { manifestApplySchema, manifestPlanSchema, manifestResultSchema, manifestTextSchema } from '../manifests';
import { proofSchema } from '../proof';
import { shareUseSchema } from '../shares';
import { candidatesSchema, volumeChoiceSchema } from '../static-volumes';
import { tuningAnswerSchema, tuningRequestSchema } from '../tuning';
import { claiming, mebibyte, reading, type Endpoint } from './endpoint';

export const claimsEndpoints = {
  listClaims: {
    method: 'get',
    path: '/api/claims',
    summary: 'Claims, filtered and paged',
    allowed: reading,
    query: claimQuerySchema,
    response: claimPageSchema,
  },
  exportClaims: {
    method: 'get',
    path: '/api/claims/export',
    summary: 'All claims of a filter as CSV or JSON; sizes in bytes',
    allowed: reading,
    query: claimExportQuerySchema,
  },
  createClaim: {
    method: 'post',
    path: '/api/claims',
    summary: 'Create a claim on the platform',
    allowed: claiming,
    body: newClaimSchema,
    response: claimRowSchema,
    status: 201,
  },
  createFromManifest: {
    method: 'post',
    path: '/api/manifests',
    summary: 'Make and change claims, classes and volumes as a manifest has them: all, or all but what is refused',
    allowed: claiming,
    body: manifestApplySchema,
    bodyLimit: mebibyte,
    response: manifestResultSchema,
    status: 201,
  },
  planManifest: {
    method: 'post',
    path: '/api/manifests/plan',
    summary: 'What a manifest would make, change, leave and be refused; nothing is done',
    allowed: claiming,
    body: manifestTextSchema,
    bodyLimit: mebibyte,
    response: manifestPlanSchema,
  },
  getClaim: {
    method: 'get',
    path: '/api/claims/:namespace/:name',
    summary: 'A claim with the traces of its decisions',
    allowed: reading,
    response: claimDetailSchema,
  },
  deleteClaim: {
    method: 'delete',
    path: '/api/claims/:namespace/:name',
    summary: 'Delete a claim on the platform; used data needs ?confirm=NAME',
    allowed: claiming,
    query: z.object({ confirm: z.string().optional() }),
    status: 204,
  },
  listCandidates: {
    method: 'get',
    path: '/api/claims/:namespace/:name/volumes',
    summary: 'Volumes made beforehand that a claim could have, ranked, with what refuses the others',
    allowed: reading,
    response: candidatesSchema,
  },
  nameVolume: {
    method: 'post',
    path: '/api/claims/:namespace/:name/volume',
    summary: 'Let a claim that waits have this volume and no other',
    allowed: claiming,
    body: volumeChoiceSchema,
    status: 204,
  },
  planDeletion: {
    method: 'get',
    path: '/api/claims/:namespace/:name/deletion',
    summary: 'The whole consequence of deleting a claim, before it is done',
    allowed: reading,
    response: deletionPlanSchema,
  },
  keepVolume: {
    method: 'post',
    path: '/api/claims/:namespace/:name/keep',
    summary:
      'Keep the volume of a claim whatever becomes of it; the last way back while a deleted claim waits for its pods',
    allowed: claiming,
    status: 204,
  },
  getProof: {
    method: 'get',
    path: '/api/claims/:namespace/:name/proof',
    summary: 'What both worlds say of a claim, when each was last seen, and every check made',
    allowed: reading,
    response: proofSchema,
  },
  getClaimSayings: {
    method: 'get',
    path: '/api/claims/:namespace/:name/sayings',
    summary: 'What the platform itself says of a claim and of its pods now',
    allowed: reading,
    response: claimSayingsSchema,
  },
  getShare: {
    method: 'get',
    path: '/api/claims/:namespace/:name/share',
    summary: 'Which pods on which nodes read and write the share of a claim now, and whom its backend shuts out',
    allowed: reading,
    response: shareUseSchema,
  },
  planTuning: {
    method: 'post',
    path: '/api/claims/:namespace/:name/tuning/plan',
    summary: 'What would become of a bound claim that tunes its rates; nothing is done',
    allowed: reading,
    body: tuningRequestSchema,
    response: tuningAnswerSchema,
  },
  tuneClaim: {
    method: 'post',
    path: '/api/claims/:namespace/:name/tuning',
    summary: 'Tune the ceilings and floors of a bound claim within its class, at once',
    allowed: claiming,
    body: tuningRequestSchema,
    status: 202,
    response: claimRowSchema,
  },
  getGrowth: {
    method: 'get',
    path: '/api/claims/:namespace/:name/growth',
    summary: 'What would become of a claim that asks for more',
    allowed: reading,
    query: growthQuerySchema,
    response: growthAnswerSchema,
  },
  growClaim: {
    method: 'post',
    path: '/api/claims/:namespace/:name/growth',
    summary: 'Let a claim ask for more on the platform',
    allowed: claiming,
    body: growthRequestSchema,
    response: claimRowSchema,
  },
  getLine: {
    method: 'get',
    path: '/api/line',
    summary: 'The Line of a claim, found by any identifier',
    allowed: reading,
    query: z.object({ claim: z.string().min(1).max(300) }),
    response: lineSchema,
  },
} as const satisfies Record<string, Endpoint>;
