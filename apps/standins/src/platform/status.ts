export interface StatusCause {
  readonly field: string;
  readonly message: string;
  readonly reason: string;
}

/** An error that the API answers as a `Status` object. */
export class StatusError extends Error {
  constructor(
    readonly code: number,
    readonly reason: string,
    message: string,
    readonly causes: readonly StatusCause[] = [],
  ) {
    super(message);
  }
}

export const statusBody = (code: number, reason: string, message: string, causes: readonly StatusCause[] = []) => ({
  kind: 'Status',
  apiVersion: 'v1',
  metadata: {},
  status: code < 400 ? 'Success' : 'Failure',
  message,
  reason,
  code,
  ...(causes.length > 0 && { details: { causes } }),
});

export const invalid = (kind: string, name: string, causes: readonly StatusCause[]): StatusError =>
  new StatusError(
    422,
    'Invalid',
    `${kind} "${name}" is invalid: ${causes.map((c) => `${c.field}: ${c.message}`).join(', ')}`,
    causes,
  );
