import { S3Error } from './errors';

type OneOrMany = string | readonly string[];

interface Statement {
  readonly Effect: 'Allow' | 'Deny';
  readonly Principal: '*' | { readonly AWS: OneOrMany };
  readonly Action: OneOrMany;
  readonly Resource: OneOrMany;
}

/** Who else than its owner may do what in a bucket. */
export interface Policy {
  readonly Version?: string;
  readonly Statement: readonly Statement[];
}

const many = (value: OneOrMany): readonly string[] => (typeof value === 'string' ? [value] : value);
const matches = (pattern: string, text: string): boolean =>
  new RegExp(
    `^${pattern
      .replace(/[.+^${}()|[\]\\]/g, '\\$&')
      .replace(/\*/g, '.*')
      .replace(/\?/g, '.')}$`,
  ).test(text);

/** A policy as it was sent, or why it is none. */
export function policyOf(text: string, bucket: string): Policy {
  const malformed = (what: string) => new S3Error(400, 'MalformedPolicy', what, bucket);
  let policy: Policy;
  try {
    policy = JSON.parse(text) as Policy;
  } catch {
    throw malformed('This policy contains invalid Json');
  }
  if (!Array.isArray(policy.Statement)) throw malformed('Missing required field Statement');
  for (const { Effect, Principal, Action, Resource } of policy.Statement as Partial<Statement>[]) {
    if (Effect !== 'Allow' && Effect !== 'Deny') throw malformed('Invalid effect');
    if (!Principal) throw malformed('Missing required field Principal');
    if (!Action) throw malformed('Missing required field Action');
    if (!Resource) throw malformed('Missing required field Resource');
    if (many(Resource).some((r) => r !== `arn:aws:s3:::${bucket}` && !r.startsWith(`arn:aws:s3:::${bucket}/`)))
      throw malformed('Policy has invalid resource');
  }
  return policy;
}

/** Whether a policy lets an account do something; what it denies, it denies whatever else it says. */
export function allows(policy: Policy | undefined, account: string, action: string, bucket: string, key?: string) {
  const resource = `arn:aws:s3:::${bucket}${key === undefined ? '' : `/${key}`}`;
  const said = (policy?.Statement ?? []).filter(
    (s) =>
      (s.Principal === '*' || many(s.Principal.AWS).some((p) => p === '*' || p === account)) &&
      many(s.Action).some((a) => matches(a, action)) &&
      many(s.Resource).some((r) => matches(r, resource)),
  );
  return said.some((s) => s.Effect === 'Allow') && !said.some((s) => s.Effect === 'Deny');
}
