// The built server, as a process of its own: what it sends is taken for what it says to be, files included.
import { server } from '../build/index.js';

const { server: http } = server;
http.prependListener('request', (_, response) => {
  response.setHeader('x-content-type-options', 'nosniff');
});
// Bodies are bounded where they are read; a large file on a slow line may take its time.
http.requestTimeout = 3_600_000;
http.headersTimeout = 20_000;
