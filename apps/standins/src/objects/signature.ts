import { createHash, createHmac, timingSafeEqual } from 'node:crypto';
import type { Request } from 'express';
import { S3Error } from './errors';

const sha256 = (data: string | Uint8Array): string => createHash('sha256').update(data).digest('hex');
const hmac = (key: string | Uint8Array, data: string): Buffer => createHmac('sha256', key).update(data).digest();
const escaped = (text: string): string =>
  encodeURIComponent(text).replace(/[!'()*]/g, (c) => `%${c.charCodeAt(0).toString(16).toUpperCase()}`);

const form =
  /^AWS4-HMAC-SHA256\s+Credential=([^/,]+)\/(\d{8})\/([^/,]+)\/s3\/aws4_request,\s*SignedHeaders=([^,]+),\s*Signature=([0-9a-f]{64})$/;
const toleranceMs = 15 * 60_000;

function timeOf(stamp: string): number {
  const [, y, mo, d, h, mi, s] = /^(\d{4})(\d\d)(\d\d)T(\d\d)(\d\d)(\d\d)Z$/.exec(stamp) ?? [];
  return Date.parse(`${y}-${mo}-${d}T${h}:${mi}:${s}Z`);
}

function canonicalQuery(url: string): string {
  const query = url.split('?')[1] ?? '';
  return [...new URLSearchParams(query)]
    .map(([name, value]) => `${escaped(name)}=${escaped(value)}`)
    .sort()
    .join('&');
}

/**
 * Who signed a request (Signature Version 4, in its headers): the account whose secret gives the same signature. Throws what the
 * protocol says of one that is not signed, signed by nobody known, changed on the way, or too old.
 */
export function signerOf(request: Request, body: Buffer, secretOf: (account: string) => string | undefined): string {
  const denied = (code: string, message: string) => new S3Error(403, code, message, request.path);
  const header = request.header('authorization');
  if (header === undefined) throw denied('AccessDenied', 'Access Denied');
  const [, account, date, region, names, signature] = form.exec(header) ?? [];
  if (account === undefined)
    throw new S3Error(400, 'AuthorizationHeaderMalformed', 'The authorization header is malformed.');
  const secret = secretOf(account);
  if (secret === undefined)
    throw denied('InvalidAccessKeyId', 'The access key ID you provided does not exist in our records.');
  const stamp = request.header('x-amz-date') ?? '';
  if (!(Math.abs(Date.now() - timeOf(stamp)) < toleranceMs))
    throw denied('RequestTimeTooSkewed', "The difference between the request time and the server's time is too large.");
  const told = request.header('x-amz-content-sha256') ?? '';
  if (told.startsWith('STREAMING-'))
    throw new S3Error(501, 'NotImplemented', 'A body that is signed in chunks is not implemented.');
  if (told !== 'UNSIGNED-PAYLOAD' && told !== sha256(body))
    throw new S3Error(
      400,
      'XAmzContentSHA256Mismatch',
      "The provided 'x-amz-content-sha256' header does not match what was computed.",
    );
  const signed = names!.split(';');
  const canonical = [
    request.method,
    // as it came, since paths of objects are encoded once
    request.url.split('?')[0]!,
    canonicalQuery(request.url),
    ...signed.map((n) => `${n}:${(request.header(n) ?? '').trim().replace(/\s+/g, ' ')}`),
    '',
    names!,
    told,
  ].join('\n');
  const scope = `${date}/${region}/s3/aws4_request`;
  const text = ['AWS4-HMAC-SHA256', stamp, scope, sha256(canonical)].join('\n');
  const key = hmac(hmac(hmac(hmac(`AWS4${secret}`, date!), region!), 's3'), 'aws4_request');
  const right = hmac(key, text);
  if (!signed.includes('host') || !timingSafeEqual(right, Buffer.from(signature!, 'hex')))
    throw denied(
      'SignatureDoesNotMatch',
      'The request signature we calculated does not match the signature you provided. Check your key and signing method.',
    );
  return account;
}
