import type { IncomingMessage, ServerResponse } from 'node:http';
import Provider, { type Configuration } from 'oidc-provider';
import { page, escaped } from './page';
import type { System } from './system';
import { SystemState } from './state';

/** Somebody whom the organisation knows. */
export interface Member {
  id: string;
  name: string;
  email: string;
}

/** The client as which Unisor is known to the organisation. */
export interface Client {
  id: string;
  secret: string;
}

/** Where the product takes the answer; any address on this machine may have it. */
const back = /^http:\/\/(127\.0\.0\.1|localhost):\d+\/sign-in\/organisation\/back$/;

/** An organisation's own sign-in (OpenID Connect); whoever comes says who they are by one click. */
export function identityDesk(members: readonly Member[], client: Client): System {
  const state = new SystemState('Sign-in of the organisation', ['none']);
  let provider: Provider | null = null;
  return {
    ...{ name: 'identity', state },
    serves(request, response, { address, body }) {
      const issuer = `${address}/identity`;
      provider ??= providerOf(issuer, members, client);
      return asked(provider, issuer, members, request, response, body);
    },
  };
}

async function asked(
  provider: Provider,
  issuer: string,
  members: readonly Member[],
  request: IncomingMessage,
  response: ServerResponse,
  body: () => Promise<URLSearchParams>,
): Promise<void> {
  const prefix = new URL(issuer).pathname;
  const url = request.url ?? '/';
  if (!url.startsWith(`${prefix}/people/`)) {
    // The provider stands below a path of its own.
    Object.assign(request, { originalUrl: url, url: url.slice(prefix.length) || '/' });
    return void (await provider.callback()(request, response));
  }
  if (request.method !== 'POST') {
    const text = pageOf(members, url);
    return void response.writeHead(200, { 'content-type': 'text/html; charset=utf-8' }).end(text);
  }
  const accountId = (await body()).get('member') ?? '';
  await provider.interactionFinished(request, response, { login: { accountId } });
}

function pageOf(members: readonly Member[], here: string): string {
  const people = members
    .map(
      ({ id, name, email }) =>
        `<p><button name="member" value="${escaped(id)}">${escaped(name)}</button> ${escaped(email)}</p>`,
    )
    .join('');
  return page(
    'Corranmoor Council',
    `<p>A simulated sign-in of an organisation. Who are you?</p>
<form method="post" action="${escaped(here)}" style="display:block">${people}</form>`,
  );
}

function providerOf(issuer: string, members: readonly Member[], client: Client): Provider {
  const prefix = new URL(issuer).pathname;
  const lasting = 600;
  const configuration: Configuration = {
    clients: [
      {
        ...{ client_id: client.id, client_secret: client.secret },
        redirect_uris: ['http://127.0.0.1/sign-in/organisation/back'],
      },
    ],
    claims: { openid: ['sub'], email: ['email', 'email_verified', 'name'] },
    cookies: { keys: [client.secret] },
    features: { devInteractions: { enabled: false } },
    interactions: { url: (_, { uid }) => `${prefix}/people/${uid}` },
    ttl: {
      AccessToken: lasting,
      AuthorizationCode: 60,
      Grant: lasting,
      IdToken: lasting,
      Interaction: lasting,
      Session: lasting,
    },
    async findAccount(_, id) {
      const member = members.find((one) => one.id === id);
      if (!member) return undefined;
      const { email, name } = member;
      return { accountId: id, claims: () => ({ sub: id, email, name, email_verified: true }) };
    },
    // Nobody is asked whether Unisor may know who they are.
    async loadExistingGrant(ctx) {
      const { session, client: asking, provider } = ctx.oidc;
      const grant = new provider.Grant({
        ...(asking ? { clientId: asking.clientId } : {}),
        ...(session?.accountId === undefined ? {} : { accountId: session.accountId }),
      });
      grant.addOIDCScope('openid email');
      await grant.save();
      return grant;
    },
  };
  const provider = new Provider(issuer, configuration);
  provider.Client.prototype.redirectUriAllowed = (uri: string) => back.test(uri);
  return provider;
}
