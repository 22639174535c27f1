import type { Bucket } from './buckets';
import { S3Error } from './errors';

const most = 1000;

export interface Asked {
  readonly 'list-type'?: string;
  readonly prefix?: string;
  readonly delimiter?: string;
  readonly 'max-keys'?: string;
  readonly 'continuation-token'?: string;
  readonly 'start-after'?: string;
  readonly marker?: string;
  readonly 'encoding-type'?: string;
}

/** A page of a bucket's objects, in the order of their keys, in both of the protocol's forms. */
export function listing(bucket: Bucket, asked: Asked) {
  const { prefix = '', delimiter } = asked;
  const isSecond = asked['list-type'] === '2';
  const count = Number(asked['max-keys'] ?? most);
  if (!Number.isInteger(count) || count < 0)
    throw new S3Error(400, 'InvalidArgument', 'Provided max-keys not an integer or within integer range');
  const token = asked['continuation-token'];
  const after = isSecond
    ? token === undefined
      ? (asked['start-after'] ?? '')
      : Buffer.from(token, 'base64url').toString('utf8')
    : (asked.marker ?? '');
  const encode = (text: string) =>
    asked['encoding-type'] === 'url' ? encodeURIComponent(text).replace(/%2F/g, '/') : text;
  const page = Math.min(count, most);
  const contents: { Key: string; LastModified: string; ETag: string; Size: number; StorageClass: string }[] = [];
  const folders = new Set<string>();
  let last = '';
  let isTruncated = false;
  for (const key of [...bucket.objects.keys()].sort()) {
    if (!key.startsWith(prefix)) continue;
    const cut = delimiter ? key.indexOf(delimiter, prefix.length) : -1;
    const folder = cut < 0 ? undefined : key.slice(0, cut + delimiter!.length);
    const place = folder ?? key;
    if (place <= after || (folder !== undefined && folders.has(folder))) continue;
    if (contents.length + folders.size >= page) {
      isTruncated = page > 0;
      break;
    }
    last = place;
    if (folder !== undefined) {
      folders.add(folder);
      continue;
    }
    const { modified, etag, body } = bucket.objects.get(key)!;
    contents.push({
      ...{ Key: encode(key), LastModified: modified, ETag: etag },
      ...{ Size: body.length, StorageClass: 'STANDARD' },
    });
  }
  return {
    Name: bucket.name,
    Prefix: encode(prefix),
    ...(delimiter !== undefined && { Delimiter: encode(delimiter) }),
    MaxKeys: count,
    ...(asked['encoding-type'] !== undefined && { EncodingType: asked['encoding-type'] }),
    IsTruncated: isTruncated,
    ...(isSecond
      ? {
          KeyCount: contents.length + folders.size,
          ...(token !== undefined && { ContinuationToken: token }),
          ...(isTruncated && { NextContinuationToken: Buffer.from(last, 'utf8').toString('base64url') }),
        }
      : { Marker: encode(after), ...(isTruncated && { NextMarker: encode(last) }) }),
    Contents: contents,
    CommonPrefixes: [...folders].map((f) => ({ Prefix: encode(f) })),
  };
}
