import { configFromEnvironment } from './config';
import { startServer } from './server';

try {
  const server = await startServer(configFromEnvironment());
  const end = () => void server.stop().then(() => process.exit(0));
  process.on('SIGTERM', end);
  process.on('SIGINT', end);
} catch (error) {
  const { code, message } = error as NodeJS.ErrnoException;
  console.error(
    code === 'EADDRINUSE'
      ? `Port ${process.env.MOORAGE_PORT ?? 4400} is taken. Set MOORAGE_PORT to a free one.`
      : `The server cannot start: ${message}`,
  );
  process.exit(1);
}
