import { z } from 'zod';
import { backendSchema, poolChangeSchema, poolSchema } from './backends';
import {
  classRowSchema,
  foreignClassSchema,
  grantsChangeSchema,
  grantsSchema,
  newClassSchema,
  newSuccessorSchema,
  successionSchema,
} from './classes';
import {
  claimDetailSchema,
  claimPageSchema,
  claimQuerySchema,
  claimRowSchema,
  lineSchema,
  newClaimSchema,
} from './claims';
import { asideSchema, findingSchema } from './findings';
import { healthSchema } from './health';
import {
  backendEventsSchema,
  backendVolumePageSchema,
  backendVolumeQuerySchema,
  inventorySchema,
  loadSchema,
} from './inventory';
import { logPageSchema, pageQuerySchema } from './logbook';
import { manifestResultSchema, manifestTextSchema } from './manifests';
import {
  appliedSchema,
  draftSchema,
  mooringChangeSchema,
  mooringOrderSchema,
  keptPlanSchema,
  mooringSchema,
  placementStateSchema,
  plannedPlacesSchema,
} from './moorings';
import { limitSchema, namespaceUsageSchema } from './namespaces';
import { readinessSchema } from './readiness';
import {
  accessSchema,
  backendChangeSchema,
  clientAtSchema,
  credentialsChangedSchema,
  credentialsSchema,
  probeSchema,
  registrationSchema,
} from './registration';
import { newReshapeSchema, poolShapeSchema, reshapeSchema } from './reshapes';
import { demoPeopleSchema, roles, sessionSchema, signInSchema, type Role } from './people';

export interface Endpoint {
  readonly method: 'get' | 'post' | 'put' | 'patch' | 'delete';
  /** Express form: parameters begin with a colon. */
  readonly path: string;
  readonly summary: string;
  /** Who may call it; `everyone` needs no sign-in. */
  readonly allowed: readonly Role[] | 'everyone';
  readonly query?: z.ZodObject;
  /** What parts of the path look like, where not any text will do. */
  readonly params?: z.ZodObject;
  readonly body?: z.ZodType;
  /** Bytes of its body at most, where the usual 64 KiB are too few, or too many. */
  readonly bodyLimit?: number;
  readonly response?: z.ZodType;
  readonly status?: number;
}

const mebibyte = 1024 * 1024;
const reading = roles;
const operating: readonly Role[] = ['administrator', 'operator'];
const engineering: readonly Role[] = ['administrator', 'operator', 'storage-engineer'];
const claiming: readonly Role[] = ['administrator', 'operator', 'namespace-owner'];

/** Every route of the API. Authorisation, validation, the OpenAPI document and the clients all read this table. */
export const endpoints = {
  health: {
    method: 'get',
    path: '/api/health',
    summary: 'Whether the server lives and is ready',
    allowed: 'everyone',
    response: healthSchema,
  },
  signIn: {
    method: 'post',
    path: '/api/session',
    summary: 'Sign in',
    allowed: 'everyone',
    body: signInSchema,
    bodyLimit: 2 * 1024,
    response: sessionSchema,
  },
  whoAmI: {
    method: 'get',
    path: '/api/session',
    summary: 'Who is signed in',
    allowed: reading,
    response: sessionSchema,
  },
  demoPeople: {
    method: 'get',
    path: '/api/demo-people',
    summary: 'Made-up people of a demonstration; none anywhere else',
    allowed: 'everyone',
    response: demoPeopleSchema,
  },
  signOut: { method: 'delete', path: '/api/session', summary: 'Sign out', allowed: reading, status: 204 },
  listBackends: {
    method: 'get',
    path: '/api/backends',
    summary: 'Backends with their pools',
    allowed: reading,
    response: z.array(backendSchema),
  },
  changePool: {
    method: 'patch',
    path: '/api/pools/:pool',
    summary: 'Change marks, overcommit or allotment of a pool (If-Match)',
    allowed: engineering,
    body: poolChangeSchema,
    response: poolSchema,
  },
  probeBackend: {
    method: 'post',
    path: '/api/backends/probe',
    summary: 'Look at an address as a backend, and say what is there',
    allowed: engineering,
    body: accessSchema,
    response: probeSchema,
  },
  registerBackend: {
    method: 'post',
    path: '/api/backends',
    summary: 'Register a backend',
    allowed: engineering,
    body: registrationSchema,
    response: backendSchema,
    status: 201,
  },
  changeBackend: {
    method: 'patch',
    path: '/api/backends/:id',
    summary: 'Change title, sites or cap of a backend (If-Match)',
    allowed: engineering,
    body: backendChangeSchema,
    response: backendSchema,
  },
  changeCredentials: {
    method: 'put',
    path: '/api/backends/:id/credentials',
    summary: 'Change the credentials of a backend, once the new ones are proven',
    allowed: engineering,
    body: credentialsSchema,
    response: credentialsChangedSchema,
  },
  removeBackend: {
    method: 'delete',
    path: '/api/backends/:id',
    summary: 'Forget a backend that holds nothing of ours',
    allowed: engineering,
    status: 204,
  },
  allowClient: {
    method: 'put',
    path: '/api/backends/:id/clients/:address',
    params: clientAtSchema,
    summary: 'Let the address of a node mount what a backend exports',
    allowed: engineering,
    status: 204,
  },
  disallowClient: {
    method: 'delete',
    path: '/api/backends/:id/clients/:address',
    params: clientAtSchema,
    summary: 'Take an address away from those that may mount what a backend exports',
    allowed: engineering,
    status: 204,
  },
  getInventory: {
    method: 'get',
    path: '/api/backends/:id/inventory',
    summary: 'Nodes and disks of a backend',
    allowed: reading,
    response: inventorySchema,
  },
  listBackendVolumes: {
    method: 'get',
    path: '/api/backends/:id/volumes',
    summary: 'Volumes on a backend, with their claims',
    allowed: reading,
    query: backendVolumeQuerySchema,
    response: backendVolumePageSchema,
  },
  getLoad: {
    method: 'get',
    path: '/api/backends/:id/load',
    summary: 'A day of IOPS, throughput and latency of the pools of a backend',
    allowed: reading,
    response: loadSchema,
  },
  listBackendEvents: {
    method: 'get',
    path: '/api/backends/:id/events',
    summary: 'What the backend says happened to it, newest first',
    allowed: reading,
    response: backendEventsSchema,
  },
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
  readiness: {
    method: 'get',
    path: '/api/readiness',
    summary: 'Whether each node can use each backend, and why not',
    allowed: reading,
    response: readinessSchema,
  },
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
  listClasses: {
    method: 'get',
    path: '/api/classes',
    summary: 'Storage classes of this provisioner',
    allowed: reading,
    response: z.array(classRowSchema),
  },
  createClass: {
    method: 'post',
    path: '/api/classes',
    summary: 'Create a storage class',
    allowed: operating,
    body: newClassSchema,
    response: classRowSchema,
    status: 201,
  },
  changeClass: {
    method: 'put',
    path: '/api/classes/:name',
    summary: 'Change a storage class; what the platform fixes only while no claim uses it (If-Match)',
    allowed: operating,
    body: newClassSchema,
    response: classRowSchema,
  },
  deleteClass: {
    method: 'delete',
    path: '/api/classes/:name',
    summary: 'Delete a storage class that no claim uses',
    allowed: operating,
    status: 204,
  },
  makeDefault: {
    method: 'put',
    path: '/api/classes/:name/default',
    summary: 'Make a class the one default',
    allowed: operating,
    status: 204,
  },
  listForeignClasses: {
    method: 'get',
    path: '/api/foreign-classes',
    summary: 'Storage classes of other provisioners, as they are',
    allowed: reading,
    response: z.array(foreignClassSchema),
  },
  getGrants: {
    method: 'get',
    path: '/api/classes/:name/grants',
    summary: 'Which namespaces may use a class',
    allowed: reading,
    response: grantsSchema,
  },
  changeGrants: {
    method: 'patch',
    path: '/api/classes/:name/grants',
    summary: 'Open or keep a class, grant it to namespaces, with quotas (If-Match)',
    allowed: operating,
    body: grantsChangeSchema,
    bodyLimit: mebibyte,
    response: grantsSchema,
  },
  listSuccessions: {
    method: 'get',
    path: '/api/classes/:name/successions',
    summary: 'Plans for moving claims from or to a class',
    allowed: reading,
    response: z.array(successionSchema),
  },
  makeSuccessor: {
    method: 'post',
    path: '/api/classes/:name/successor',
    summary: 'Make the class that takes over, and plan how claims move to it',
    allowed: operating,
    body: newSuccessorSchema,
    response: successionSchema,
    status: 201,
  },
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
  listClaims: {
    method: 'get',
    path: '/api/claims',
    summary: 'Claims, filtered and paged',
    allowed: reading,
    query: claimQuerySchema,
    response: claimPageSchema,
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
    summary: 'Make claims and classes from a manifest, all or none of them',
    allowed: claiming,
    body: manifestTextSchema,
    bodyLimit: mebibyte,
    response: manifestResultSchema,
    status: 201,
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
  getLine: {
    method: 'get',
    path: '/api/line',
    summary: 'The Line of a claim, found by any identifier',
    allowed: reading,
    query: z.object({ claim: z.string().min(1).max(300) }),
    response: lineSchema,
  },
  listNamespaces: {
    method: 'get',
    path: '/api/namespaces',
    summary: 'Use per namespace and class',
    allowed: reading,
    response: z.array(namespaceUsageSchema),
  },
  setNamespaceLimit: {
    method: 'put',
    path: '/api/namespaces/:namespace/limit',
    summary: 'Limit the provisioned bytes of a namespace',
    allowed: operating,
    body: limitSchema,
    status: 204,
  },
  setClassLimit: {
    method: 'put',
    path: '/api/namespaces/:namespace/limit/:className',
    summary: 'Limit the provisioned bytes of a namespace in one class',
    allowed: operating,
    body: limitSchema,
    status: 204,
  },
  listLogbook: {
    method: 'get',
    path: '/api/logbook',
    summary: 'Who changed what, newest first',
    allowed: reading,
    query: pageQuerySchema,
    response: logPageSchema,
  },
  openapi: { method: 'get', path: '/api/openapi.json', summary: 'This document', allowed: 'everyone' },
  events: { method: 'get', path: '/api/events', summary: 'Live changes as server-sent events', allowed: reading },
} as const satisfies Record<string, Endpoint>;

export type EndpointName = keyof typeof endpoints;
