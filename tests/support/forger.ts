import http from 'node:http';
import type { AddressInfo } from 'node:net';
import { exportJWK, generateKeyPair, SignJWT, UnsecuredJWT, type JWTPayload } from 'jose';

/** How an answer of an organisation's sign-in is made: sound, but for what a test says. */
export interface Forgery {
  claims?: JWTPayload;
  /** Signed with another key than the one that is shown, or not at all. */
  signed?: 'with another key' | 'not at all';
}

/** An organisation's sign-in that answers what a test wants. */
export interface Forger {
  issuer: string;
  /** Answers to the question that an address of authorization holds; gives the address to go back to. */
  answers(asked: string, forgery?: Forgery): string;
  stop(): Promise<void>;
}

/** Starts one on this machine. The person is `sub-1`, `brida@example.org`. */
export async function startForger(): Promise<Forger> {
  const pair = await generateKeyPair('RS256');
  const other = await generateKeyPair('RS256');
  const jwk = { ...(await exportJWK(pair.publicKey)), kid: 'one', alg: 'RS256', use: 'sig' };
  const codes = new Map<string, () => Promise<string>>();
  const server = http.createServer((request, response) => {
    void answer(request).then((body) => {
      response.writeHead(body === null ? 400 : 200, { 'content-type': 'application/json' });
      response.end(JSON.stringify(body ?? { error: 'invalid_grant' }));
    });
  });
  await new Promise<void>((done) => server.listen(0, '127.0.0.1', done));
  const issuer = `http://127.0.0.1:${(server.address() as AddressInfo).port}`;

  async function answer(request: http.IncomingMessage): Promise<object | null> {
    if (request.url === '/.well-known/openid-configuration') {
      return {
        ...{ issuer, authorization_endpoint: `${issuer}/auth`, token_endpoint: `${issuer}/token` },
        ...{ jwks_uri: `${issuer}/keys`, userinfo_endpoint: `${issuer}/me` },
        response_types_supported: ['code'],
        subject_types_supported: ['public'],
        id_token_signing_alg_values_supported: ['RS256'],
      };
    }
    if (request.url === '/keys') return { keys: [jwk] };
    if (request.url === '/me') return { sub: 'sub-1' };
    const chunks: Buffer[] = [];
    for await (const chunk of request) chunks.push(chunk as Buffer);
    const code = new URLSearchParams(Buffer.concat(chunks).toString('utf8')).get('code') ?? '';
    const made = codes.get(code);
    // Each code once.
    codes.delete(code);
    return made
      ? { access_token: 'a', token_type: 'Bearer', expires_in: 60, id_token: await made() }
      : null;
  }

  return {
    issuer,
    answers(asked, { claims = {}, signed } = {}) {
      const { searchParams: given } = new URL(asked);
      const now = Math.floor(Date.now() / 1000);
      const payload = {
        ...{
          iss: issuer,
          sub: 'sub-1',
          aud: given.get('client_id') ?? '',
          iat: now,
          exp: now + 60,
        },
        ...{ nonce: given.get('nonce'), email: 'brida@example.org', email_verified: true },
        ...claims,
      };
      const key = signed === 'with another key' ? other.privateKey : pair.privateKey;
      const code = `code-${codes.size}-${Math.random()}`;
      codes.set(code, async () =>
        signed === 'not at all'
          ? new UnsecuredJWT(payload).encode()
          : new SignJWT(payload).setProtectedHeader({ alg: 'RS256', kid: 'one' }).sign(key),
      );
      const back = new URL(given.get('redirect_uri') ?? '');
      back.searchParams.set('code', code);
      back.searchParams.set('state', given.get('state') ?? '');
      return back.href;
    },
    stop: () =>
      new Promise((done) => {
        server.close(() => done());
        server.closeAllConnections();
      }),
  };
}
