import type { Resource } from './resources';

export interface StatusCause {
  readonly field: string;
  readonly message: string;
  readonly reason: string;
}

/** What a `Status` says of the object it is about. */
export interface StatusDetails {
  readonly name?: string;
  readonly group?: string;
  readonly kind?: string;
  readonly uid?: string;
}

/** An error that the API answers as a `Status` object. */
export class StatusError extends Error {
  constructor(
    readonly code: number,
    readonly reason: string,
    message: string,
    readonly causes: readonly StatusCause[] = [],
    readonly details: StatusDetails = {},
  ) {
    super(message);
  }
}

export const statusBody = (
  code: number,
  reason: string | undefined,
  message: string,
  causes: readonly StatusCause[] = [],
  details: StatusDetails = {},
) => ({
  kind: 'Status',
  apiVersion: 'v1',
  metadata: {},
  status: code < 400 ? 'Success' : 'Failure',
  ...(message && { message }),
  ...(reason && { reason }),
  code,
  ...((causes.length > 0 || Object.keys(details).length > 0) && {
    details: { ...details, ...(causes.length > 0 && { causes }) },
  }),
});

const detailsOf = (resource: Resource, name: string): StatusDetails => ({
  name,
  ...(resource.group && { group: resource.group }),
  kind: resource.plural,
});
const fullName = (r: Resource): string => (r.group ? `${r.plural}.${r.group}` : r.plural);

export const invalid = (kind: string, name: string, causes: readonly StatusCause[]): StatusError =>
  new StatusError(
    422,
    'Invalid',
    `${kind} "${name}" is invalid: ${causes.map((c) => `${c.field}: ${c.message}`).join(', ')}`,
    causes,
    { name, kind },
  );
export const notFound = (resource: Resource, name: string): StatusError =>
  new StatusError(404, 'NotFound', `${fullName(resource)} "${name}" not found`, [], detailsOf(resource, name));
export const alreadyExists = (resource: Resource, name: string): StatusError =>
  new StatusError(
    409,
    'AlreadyExists',
    `${fullName(resource)} "${name}" already exists`,
    [],
    detailsOf(resource, name),
  );
export const conflict = (resource: Resource, name: string, why: string): StatusError =>
  new StatusError(
    409,
    'Conflict',
    `Operation cannot be fulfilled on ${fullName(resource)} "${name}": ${why}`,
    [],
    detailsOf(resource, name),
  );
export const forbidden = (resource: Resource, name: string, why: string): StatusError =>
  new StatusError(
    403,
    'Forbidden',
    `${fullName(resource)} "${name}" is forbidden: ${why}`,
    [],
    detailsOf(resource, name),
  );
export const badRequest = (message: string): StatusError => new StatusError(400, 'BadRequest', message);
