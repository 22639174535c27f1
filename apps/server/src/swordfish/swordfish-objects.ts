import { XMLBuilder } from 'fast-xml-parser';
import { z } from 'zod';
import { BackendProblem } from './connector';
import type { BackendHttp } from './http';
import type { Admitted, ObjectPage, ObjectStore } from './object-store';
import { S3Http, S3Problem } from './s3-http';
import { accountServiceSchema, rootSchema } from './schemas';
import type { SwordfishWays } from './swordfish-ways';

const builder = new XMLBuilder();
const listSchema = z.object({
  IsTruncated: z.enum(['true', 'false']),
  NextContinuationToken: z.string().optional(),
  Contents: z.array(z.object({ Key: z.string(), Size: z.coerce.number().int().nonnegative() })).default([]),
});

/** What the protocol lets one do in a bucket; shut for writing, everything but putting. */
const actions: Record<Admitted['may'], readonly string[]> = {
  write: ['s3:ListBucket', 's3:GetObject', 's3:DeleteObject', 's3:AbortMultipartUpload', 's3:PutObject'],
  shrink: ['s3:ListBucket', 's3:GetObject', 's3:DeleteObject', 's3:AbortMultipartUpload'],
};

/**
 * Buckets of a backend: spoken to in the object protocol at the endpoint that its service names, with the accounts of the
 * standard's account service as keys, the name being the key's and the password its secret. A bucket's place is its pool.
 */
export class SwordfishObjects implements ObjectStore {
  private found?: { readonly endpoint: string; readonly s3: S3Http };
  private accounts?: string;

  constructor(
    private readonly http: BackendHttp,
    private readonly ways: SwordfishWays,
  ) {}

  async fetchEndpoint(): Promise<string | undefined> {
    const endpoint = await this.ways.fetchObjects();
    if (endpoint !== undefined && endpoint !== this.found?.endpoint) {
      await this.found?.s3.close();
      this.found = { endpoint, s3: new S3Http(endpoint, this.http.access, this.http.timeoutMs) };
    }
    return endpoint;
  }

  close = async (): Promise<void> => this.found?.s3.close();

  private async call(...[call]: Parameters<S3Http['call']>): Promise<Record<string, unknown>> {
    if (!this.found && (await this.fetchEndpoint()) === undefined)
      throw new BackendProblem('refused', 'it keeps no objects: its service names no endpoint for them');
    return this.http.metrics.timed(this.http.access.name, 'objects', () => this.found!.s3.call(call));
  }

  async ensureBucket(name: string, pool: string): Promise<void> {
    const body = builder.build({ CreateBucketConfiguration: { LocationConstraint: pool } }) as string;
    try {
      await this.call({ method: 'PUT', bucket: name, body });
    } catch (error) {
      // our own earlier answer was lost
      if (!(error instanceof S3Problem && error.said === 'BucketAlreadyOwnedByYou')) throw error;
    }
  }

  async ensureBucketGone(name: string): Promise<boolean> {
    try {
      await this.call({ method: 'DELETE', bucket: name });
    } catch (error) {
      if (error instanceof S3Problem && error.said === 'BucketNotEmpty') return false;
      if (!isGone(error)) throw error;
    }
    return true;
  }

  async fetchObjects(name: string, after?: string): Promise<ObjectPage | undefined> {
    const query = { 'list-type': '2', 'max-keys': '1000', ...(after !== undefined && { 'continuation-token': after }) };
    let answer: Record<string, unknown>;
    try {
      answer = await this.call({ method: 'GET', bucket: name, query });
    } catch (error) {
      if (isGone(error)) return undefined;
      throw error;
    }
    const listed = this.http.shaped(`the list of ${name}`, answer.ListBucketResult, listSchema);
    const next = listed.IsTruncated === 'true' ? listed.NextContinuationToken : undefined;
    if (next !== undefined && next === after)
      throw new BackendProblem('nonsense', `the list of ${name} goes round in a circle`);
    return {
      keys: listed.Contents.map((c) => c.Key),
      bytes: listed.Contents.reduce((sum, c) => sum + c.Size, 0),
      ...(next !== undefined && { next }),
    };
  }

  async deleteObjects(name: string, keys: readonly string[]): Promise<void> {
    if (keys.length === 0) return;
    const body = builder.build({ Delete: { Quiet: 'true', Object: keys.map((Key) => ({ Key })) } }) as string;
    await this.call({ method: 'POST', bucket: name, query: { delete: '' }, body });
  }

  async ensureAdmitted(name: string, accounts: readonly Admitted[]): Promise<void> {
    if (accounts.length === 0) {
      try {
        await this.call({ method: 'DELETE', bucket: name, query: { policy: '' } });
      } catch (error) {
        if (!isGone(error)) throw error;
      }
      return;
    }
    const resource = `arn:aws:s3:::${name}`;
    const statements = accounts.map(({ account, may }) => ({
      ...{ Effect: 'Allow', Principal: { AWS: [account] } },
      ...{ Action: actions[may], Resource: [resource, `${resource}/*`] },
    }));
    const body = JSON.stringify({ Version: '2012-10-17', Statement: statements });
    await this.call({ method: 'PUT', bucket: name, query: { policy: '' }, body });
  }

  private async accountsPath(): Promise<string> {
    if (this.accounts !== undefined) return this.accounts;
    const { AccountService } = await this.http.get('/redfish/v1', rootSchema);
    const service = AccountService && (await this.http.get(AccountService['@odata.id'], accountServiceSchema));
    if (!service?.Accounts) throw new BackendProblem('refused', 'its service keeps no accounts');
    return (this.accounts = service.Accounts['@odata.id']);
  }

  async ensureAccount(account: string, secret: string): Promise<void> {
    const path = await this.accountsPath();
    try {
      await this.http.call('make account', 'POST', path, { UserName: account, Password: secret, RoleId: 'NoAccess' });
    } catch (error) {
      if (!(error instanceof BackendProblem && error.code === 'exists')) throw error;
      await this.http.call('change account', 'PATCH', `${path}/${account}`, { Password: secret });
    }
  }

  async ensureAccountGone(account: string): Promise<void> {
    try {
      await this.http.call('remove account', 'DELETE', `${await this.accountsPath()}/${account}`);
    } catch (error) {
      if (!isGone(error)) throw error;
    }
  }
}

const isGone = (error: unknown): boolean => error instanceof BackendProblem && error.code === 'not-found';
