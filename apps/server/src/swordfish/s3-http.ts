import { createHash } from 'node:crypto';
import aws4 from 'aws4';
import { XMLParser } from 'fast-xml-parser';
import { fetch } from 'undici';
import { BackendProblem, type BackendProblemCode } from './connector';
import { boundedText, connectionProblem, type Access } from './http';
import { agentFor } from './trust';

const parser = new XMLParser({
  ...{ ignoreAttributes: true, parseTagValue: false, trimValues: false, processEntities: true },
  isArray: (name) => name === 'Contents',
});

/** What the protocol calls a failure, as this product knows it. */
const codes: Record<string, BackendProblemCode> = {
  NoSuchBucket: 'not-found',
  NoSuchKey: 'not-found',
  NoSuchBucketPolicy: 'not-found',
  BucketAlreadyExists: 'exists',
  InsufficientCapacity: 'full',
  AccessDenied: 'unauthorised',
  InvalidAccessKeyId: 'unauthorised',
  SignatureDoesNotMatch: 'unauthorised',
};

/** The text as a path or a query of this protocol has it: everything but letters, digits and `-_.~` encoded. */
const escaped = (text: string): string =>
  encodeURIComponent(text).replace(/[!'()*]/g, (c) => `%${c.charCodeAt(0).toString(16).toUpperCase()}`);

export class S3Problem extends BackendProblem {
  constructor(
    /** In the protocol's own words, such as `BucketNotEmpty`. */
    readonly said: string,
    code: BackendProblemCode,
    message: string,
  ) {
    super(code, message);
  }
}

interface Call {
  readonly method: 'GET' | 'PUT' | 'POST' | 'DELETE';
  readonly bucket: string;
  readonly query?: Readonly<Record<string, string>>;
  readonly body?: string;
}

/** Speaks the object protocol: each request is signed (Signature Version 4), has a time limit, and its answer a size. */
export class S3Http {
  private readonly agent;

  constructor(
    private readonly endpoint: string,
    private readonly access: Access,
    private readonly timeoutMs: number,
  ) {
    this.agent = agentFor(access.trust);
  }

  /** Ends its connections; what is left of them ends by itself. Never fails. */
  close = (): Promise<void> => this.agent.close().catch(() => undefined);

  /** One call; gives what the XML of its answer says. */
  async call({ method, bucket, query = {}, body = '' }: Call): Promise<Record<string, unknown>> {
    const { host } = new URL(this.endpoint);
    const asked = Object.entries(query)
      .map(([name, value]) => `${escaped(name)}=${escaped(value)}`)
      .sort()
      .join('&');
    const path = `/${escaped(bucket)}${asked === '' ? '' : `?${asked}`}`;
    const digest = createHash('md5').update(body).digest('base64');
    const { headers } = aws4.sign(
      {
        ...{ host, path, method, body, service: 's3', region: 'us-east-1' },
        headers: {
          'X-Amz-Content-Sha256': createHash('sha256').update(body).digest('hex'),
          // of a body that deletes, the protocol asks for it
          ...(method === 'POST' && { 'Content-MD5': digest }),
        },
      },
      { accessKeyId: this.access.username, secretAccessKey: this.access.password },
    );
    const { Host: _, 'Content-Length': __, ...signed } = headers as Record<string, string>;
    let response;
    try {
      response = await fetch(new URL(path, this.endpoint), {
        method,
        headers: signed,
        ...(body !== '' && { body }),
        signal: AbortSignal.timeout(this.timeoutMs),
        // what is signed for one address is not sent to another
        redirect: 'error',
        dispatcher: this.agent,
      });
    } catch (error) {
      throw connectionProblem(error, this.endpoint, this.timeoutMs);
    }
    const text = await boundedText(response, this.timeoutMs);
    const read = readXml(text);
    if (response.ok) {
      if (text !== '' && read === undefined)
        throw new BackendProblem('nonsense', `${method} ${path} answered something that is not XML`);
      return read ?? {};
    }
    const { Code, Message } = (read?.Error ?? {}) as { Code?: string; Message?: string };
    const code = codes[Code ?? ''] ?? (response.status >= 500 ? 'unreachable' : 'refused');
    throw new S3Problem(Code ?? '', code, Message ?? `${method} ${path} answered ${response.status}`);
  }
}

function readXml(text: string): Record<string, unknown> | undefined {
  try {
    return parser.parse(text, true) as Record<string, unknown>;
  } catch {
    return undefined;
  }
}
