import { isIP } from 'node:net';
import { connect, type PeerCertificate, type TLSSocket } from 'node:tls';
import type { Trust } from '@moorage/contract/backends';
import { Agent, buildConnector } from 'undici';
import type { Certificate } from '@moorage/contract/registration';

/** The certificate is not the one that was pinned. */
export const pinMismatch = 'ERR_PIN_MISMATCH';

/** Connections to one backend, each checked as its trust says. */
export function agentFor(trust: Trust): Agent {
  if (trust.kind === 'system') return new Agent();
  if (trust.kind === 'ca') return new Agent({ connect: { ca: trust.pem } });
  // the chain does not matter when the one certificate is known
  const open = buildConnector({ rejectUnauthorized: false, maxCachedSessions: 0 });
  return new Agent({
    connect: (options, callback) =>
      open(options, (error, socket) => {
        if (error) return callback(error, null);
        const shown = (socket as TLSSocket).getPeerCertificate?.() as PeerCertificate | undefined;
        if (options.protocol === 'https:' && shown?.fingerprint256 !== trust.fingerprint) {
          socket.destroy();
          const wrong = new Error('the certificate is not the pinned one');
          return callback(Object.assign(wrong, { code: pinMismatch }), null);
        }
        callback(null, socket);
      }),
  });
}

const named = (name: PeerCertificate['subject'] | undefined): string => {
  const value: unknown = name?.CN ?? name?.O;
  return Array.isArray(value) ? value.join(', ') : typeof value === 'string' ? value : '';
};

/** The certificate that an https address shows, trusted or not; undefined when none can be had. */
export function fetchCertificate(address: string, timeoutMs: number): Promise<Certificate | undefined> {
  const { protocol, hostname, port } = new URL(address);
  if (protocol !== 'https:') return Promise.resolve(undefined);
  return new Promise((resolve) => {
    const socket = connect(
      {
        host: hostname,
        port: Number(port || 443),
        // an address is no server name
        ...(isIP(hostname) === 0 && { servername: hostname }),
        rejectUnauthorized: false,
        timeout: timeoutMs,
      },
      () => {
        const shown = socket.getPeerCertificate() as PeerCertificate | undefined;
        socket.destroy();
        resolve(
          shown?.fingerprint256
            ? {
                subject: named(shown.subject),
                issuer: named(shown.issuer),
                fingerprint: shown.fingerprint256,
                validTo: new Date(shown.valid_to).toISOString(),
              }
            : undefined,
        );
      },
    );
    const give = () => {
      socket.destroy();
      resolve(undefined);
    };
    socket.on('error', give);
    socket.on('timeout', give);
  });
}
