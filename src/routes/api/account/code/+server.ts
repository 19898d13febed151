import { codeRequest } from '$lib/core/contract/requests';
import QRCode from 'qrcode';
import { noteEvent } from '$lib/server/access/activity';
import { dropCode, newCodeSecret, setCode } from '$lib/server/access/codes';
import { askerAt, cameFrom } from '$lib/server/access/let-in';
import { refuseWrongPassword } from '$lib/server/access/sign-in';
import { answering, readBody } from '$lib/server/respond';
import { readyDatabase } from '$lib/server/start';

/** A secret for an authenticator app, as a text and as a picture (SVG); it counts once a code of it was right. */
export const POST = answering(async (event) => {
  const { secret, uri } = newCodeSecret(askerAt(event).person.name);
  const picture = await QRCode.toString(uri, { type: 'svg', margin: 1 });
  return { secret, uri, picture };
});

/** Asks for a code at each sign-in from now on; gives the recovery codes, which are shown this once. */
export const PUT = answering(async (event) => {
  const { secret, code, password } = await readBody(event.request, codeRequest);
  const { person } = askerAt(event);
  const db = await readyDatabase();
  await refuseWrongPassword(db, person, password, cameFrom(event));
  const recovery = await setCode(db, person.id, secret, code);
  await noteEvent(db, { kind: 'code_set', person: person.shown });
  return { recovery };
});

/** Asks for no code any more. */
export const DELETE = answering(async (event) => {
  const { password } = await readBody(event.request, codeRequest.pick({ password: true }));
  const { person } = askerAt(event);
  const db = await readyDatabase();
  await refuseWrongPassword(db, person, password, cameFrom(event));
  await dropCode(db, person.id);
  await noteEvent(db, { kind: 'code_set', person: person.shown });
  return { done: true };
});
