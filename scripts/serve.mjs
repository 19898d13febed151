// The built server, as a process of its own: what it sends is taken for what it says to be, files included.
import fs from 'node:fs';
import { fileURLToPath } from 'node:url';
import compression from 'compression';
import { server } from '../build/index.js';

const { server: http } = server;
/** Pages and answers go out compressed; what is streamed line by line, or compressed already, as it is. */
const compressed = compression({
  // What fits into a few packets goes faster as it is.
  threshold: 4096,
  filter: (_, response) =>
    /^(?:text\/html|application\/json)\b/.test(String(response.getHeader('content-type'))),
});
/** Where the files of the screens stand; what is sent from there is listed once, when the server starts. */
const files = fileURLToPath(new URL('../build/client', import.meta.url));
http.prependListener('request', (request, response) => {
  // Where another version was built in its place meanwhile, a file of this one is gone: that is told, and ends nothing.
  const [path = ''] = (request.url ?? '').split('?');
  if (path.startsWith('/_app/') && !fs.existsSync(files + path)) request.url = '/_app/gone';
  response.setHeader('x-content-type-options', 'nosniff');
  compressed(request, response, () => undefined);
});
// Bodies are bounded where they are read; a large file on a slow line may take its time.
http.requestTimeout = 3_600_000;
http.headersTimeout = 20_000;
