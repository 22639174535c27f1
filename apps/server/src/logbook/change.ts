export interface Change {
  readonly person: string;
  readonly action: 'create' | 'change' | 'delete' | 'sign-in' | 'reorder';
  readonly kind:
    | 'class'
    | 'mooring'
    | 'claim'
    | 'volume'
    | 'pool'
    | 'instance'
    | 'limit'
    | 'limit-request'
    | 'rate'
    | 'scenario'
    | 'token'
    | 'person'
    | 'backend'
    | 'finding'
    | 'grant'
    | 'plan'
    | 'bucket'
    | 'bucket-key'
    | 'bucket-class'
    | 'application'
    | 'pod'
    | 'node'
    | 'operation';
  readonly subject: string;
  readonly before?: unknown;
  readonly after?: unknown;
}
