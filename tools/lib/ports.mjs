import { createServer } from 'node:net';

const tryPort = (port) =>
  new Promise((resolve, reject) => {
    const server = createServer();
    server.once('error', reject);
    server.listen(port, '127.0.0.1', () => {
      const { port: got } = server.address();
      server.close(() => resolve(got));
    });
  });

export const freePort = () => tryPort(0);

export const isFree = (port) =>
  tryPort(port).then(
    () => true,
    () => false,
  );
