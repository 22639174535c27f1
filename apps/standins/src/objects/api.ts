import express, { type NextFunction, type Request, type Response, type Router } from 'express';
import { XMLBuilder, XMLParser } from 'fast-xml-parser';
import { allows, policyOf } from './policy';
import { listing, type Asked } from './listing';
import type { Buckets } from './buckets';
import { S3Error } from './errors';
import { signerOf } from './signature';

const xmlns = 'http://s3.amazonaws.com/doc/2006-03-01/';
const builder = new XMLBuilder({ ignoreAttributes: false, suppressEmptyNode: false });
const parser = new XMLParser({
  ...{ ignoreAttributes: true, parseTagValue: false, trimValues: false, processEntities: true },
  isArray: (name) => name === 'Object' || name === 'Part',
});

const xml = (res: Response, name: string, content: object, status = 200): void => {
  // an error is in no name space
  const body = builder.build({ [name]: { ...(name !== 'Error' && { '@_xmlns': xmlns }), ...content } }) as string;
  res.status(status).type('application/xml').send(`<?xml version="1.0" encoding="UTF-8"?>\n${body}`);
};

/** What the backend says of those who sign, and of the pools objects lie in. */
export interface ObjectHome {
  readonly buckets: Buckets;
  secretOf(account: string): string | undefined;
  isAdministrator(account: string): boolean;
  /** The pool a bucket is made in when none is asked for. */
  readonly usualPool: string;
  hasPool(id: string): boolean;
  /** Bytes that still fit into a pool. */
  roomFor(pool: string): number;
}

interface Call {
  readonly req: Request;
  readonly res: Response;
  readonly account: string;
  readonly body: Buffer;
  readonly bucket: string;
  readonly key: string;
  readonly query: Record<string, string | undefined>;
}

const metadataOf = (req: Request): Record<string, string> =>
  Object.fromEntries(
    Object.entries(req.headers)
      .filter(([name]) => name.startsWith('x-amz-meta-'))
      .map(([name, value]) => [name, String(value)]),
  );

function parsed<T>(body: Buffer, name: string): T {
  let read: Record<string, unknown>;
  try {
    read = parser.parse(body, true) as Record<string, unknown>;
  } catch {
    read = {};
  }
  if (read[name] === undefined)
    throw new S3Error(400, 'MalformedXML', 'The XML you provided was not well-formed or did not validate.');
  return read[name] as T;
}

/** The object interface over one backend: requests signed with Signature Version 4, buckets in the path. */
export function objectApi(home: ObjectHome): Router {
  const { buckets } = home;
  const router = express.Router();

  const assertMay = ({ account, bucket, key }: Call, action: string) => {
    const { owner, policy } = buckets.get(bucket);
    if (account === owner || home.isAdministrator(account)) return;
    if (!allows(policy, account, action, bucket, key === '' ? undefined : key))
      throw new S3Error(403, 'AccessDenied', 'Access Denied', `/${bucket}/${key}`);
  };
  const assertRoom = (bucket: string, bytes: number) => {
    if (bytes > home.roomFor(buckets.get(bucket).pool))
      throw new S3Error(507, 'InsufficientCapacity', 'There is not enough room left for it.', bucket);
  };

  const service = ({ account, res }: Call) => {
    const seen = buckets.list().filter((b) => b.owner === account || home.isAdministrator(account));
    xml(res, 'ListAllMyBucketsResult', {
      Owner: { ID: account, DisplayName: account },
      Buckets: { Bucket: seen.map((b) => ({ Name: b.name, CreationDate: b.created })) },
    });
  };

  function createBucket({ account, bucket, body, res }: Call): void {
    if (!home.isAdministrator(account)) throw new S3Error(403, 'AccessDenied', 'Access Denied', bucket);
    const asked = body.length === 0 ? {} : parsed<{ LocationConstraint?: string }>(body, 'CreateBucketConfiguration');
    const pool = asked.LocationConstraint ?? home.usualPool;
    if (!home.hasPool(pool))
      throw new S3Error(400, 'InvalidLocationConstraint', 'The specified location constraint is not valid.', bucket);
    buckets.create(bucket, account, pool);
    res.status(200).setHeader('Location', `/${bucket}`).end();
  }

  function deleteMany(call: Call): void {
    assertMay(call, 's3:DeleteObject');
    const { Object: objects = [] } = parsed<{ Object?: { Key: string }[] }>(call.body, 'Delete');
    if (objects.length > 1000)
      throw new S3Error(400, 'MalformedXML', 'The XML you provided was not well-formed or did not validate.');
    for (const { Key } of objects) buckets.delete(call.bucket, Key);
    xml(call.res, 'DeleteResult', { Deleted: objects.map(({ Key }) => ({ Key })) });
  }

  function ofBucket(call: Call): void {
    const { req, res, bucket, body, query } = call;
    const on = `${req.method}${query.policy !== undefined ? '?policy' : ''}`;
    if (on === 'PUT') return createBucket(call);
    if (on === 'PUT?policy' || on === 'DELETE?policy' || on === 'GET?policy') {
      assertMay(call, on === 'GET?policy' ? 's3:GetBucketPolicy' : 's3:PutBucketPolicy');
      if (on === 'GET?policy') {
        const { policy } = buckets.get(bucket);
        if (!policy) throw new S3Error(404, 'NoSuchBucketPolicy', 'The bucket policy does not exist', bucket);
        res.json(policy);
        return;
      }
      buckets.setPolicy(bucket, on === 'PUT?policy' ? policyOf(body.toString('utf8'), bucket) : undefined);
      res.status(204).end();
    } else if (req.method === 'HEAD') {
      assertMay(call, 's3:ListBucket');
      res.status(200).setHeader('x-amz-bucket-region', buckets.get(bucket).pool).end();
    } else if (req.method === 'GET' && query.location !== undefined) {
      assertMay(call, 's3:GetBucketLocation');
      xml(res, 'LocationConstraint', { '#text': buckets.get(bucket).pool });
    } else if (req.method === 'GET') {
      assertMay(call, 's3:ListBucket');
      xml(res, 'ListBucketResult', listing(buckets.get(bucket), query as Asked));
    } else if (req.method === 'DELETE') {
      assertMay(call, 's3:DeleteBucket');
      buckets.remove(bucket);
      res.status(204).end();
    } else if (req.method === 'POST' && query.delete !== undefined) deleteMany(call);
    else throw new S3Error(405, 'MethodNotAllowed', 'The specified method is not allowed against this resource.');
  }

  /** Objects that are sent in parts. */
  function ofUpload({ req, res, bucket, key, query, body }: Call): void {
    if (req.method === 'POST' && query.uploads !== undefined) {
      const type = req.header('content-type') ?? 'binary/octet-stream';
      const id = buckets.beginUpload(bucket, key, type, metadataOf(req));
      xml(res, 'InitiateMultipartUploadResult', { Bucket: bucket, Key: key, UploadId: id });
    } else if (req.method === 'PUT') {
      assertRoom(bucket, body.length);
      res.setHeader('ETag', buckets.putPart(bucket, key, query.uploadId!, Number(query.partNumber), body)).end();
    } else if (req.method === 'POST') {
      const asked = parsed<{ Part?: { PartNumber: string; ETag: string }[] }>(body, 'CompleteMultipartUpload');
      const parts = (asked.Part ?? []).map((p) => ({ part: Number(p.PartNumber), etag: p.ETag }));
      const etag = buckets.completeUpload(bucket, key, query.uploadId!, parts);
      xml(res, 'CompleteMultipartUploadResult', { Bucket: bucket, Key: key, ETag: etag });
    } else {
      buckets.abortUpload(bucket, key, query.uploadId!);
      res.status(204).end();
    }
  }

  const actions: Record<string, string> = { PUT: 's3:PutObject', POST: 's3:PutObject', DELETE: 's3:DeleteObject' };

  function ofObject(call: Call): void {
    const { req, res, bucket, key, body, query } = call;
    const aborts = req.method === 'DELETE' && query.uploadId !== undefined;
    assertMay(call, aborts ? 's3:AbortMultipartUpload' : (actions[req.method] ?? 's3:GetObject'));
    if (query.uploads !== undefined || query.uploadId !== undefined) return ofUpload(call);
    if (req.method === 'PUT') {
      if (req.header('x-amz-copy-source') !== undefined)
        throw new S3Error(501, 'NotImplemented', 'Copying an object is not implemented.');
      assertRoom(bucket, body.length);
      const type = req.header('content-type') ?? 'binary/octet-stream';
      res.setHeader('ETag', buckets.put(bucket, key, { body, type, metadata: metadataOf(req) })).end();
    } else if (req.method === 'DELETE') {
      buckets.delete(bucket, key);
      res.status(204).end();
    } else if (req.method === 'GET' || req.method === 'HEAD') {
      const object = buckets.find(bucket, key);
      res.set({ ...object.metadata, ETag: object.etag, 'Last-Modified': new Date(object.modified).toUTCString() });
      res.type(object.type).send(object.body);
    } else throw new S3Error(405, 'MethodNotAllowed', 'The specified method is not allowed against this resource.');
  }

  router.use(express.raw({ type: () => true, limit: '64mb' }));
  router.use((req, res) => {
    const body = Buffer.isBuffer(req.body) ? req.body : Buffer.alloc(0);
    const account = signerOf(req, body, (name) => home.secretOf(name));
    const [, bucket = '', ...rest] = req.path.split('/').map((part) => decodeURIComponent(part));
    const query = Object.fromEntries(new URLSearchParams(req.url.split('?')[1] ?? ''));
    const call: Call = { req, res, account, body, bucket, key: rest.join('/'), query };
    if (bucket === '') service(call);
    else if (call.key === '') ofBucket(call);
    else ofObject(call);
  });
  router.use((error: unknown, req: Request, res: Response, _next: NextFunction) => {
    const told = error instanceof S3Error ? error : new S3Error(400, 'InvalidRequest', String(error));
    if (req.method === 'HEAD') return void res.status(told.status).end();
    xml(res, 'Error', { Code: told.code, Message: told.message, Resource: told.resource || req.path }, told.status);
  });
  return router;
}
