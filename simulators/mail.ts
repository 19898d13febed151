import type { AddressInfo } from 'node:net';
import { simpleParser } from 'mailparser';
import { SMTPServer } from 'smtp-server';
import { SystemState } from './state';
import type { System } from './system';

/** A message that has arrived. */
export interface Caught {
  to: string[];
  from: string;
  subject: string;
  text: string;
  /** Its `Message-ID`: the same with every try. */
  id: string;
}

/** A server that takes every e-mail and shows it, and delivers none. */
export interface MailCatcher extends System {
  /** `smtp://127.0.0.1:port`. */
  address: string;
  caught: readonly Caught[];
  stop: () => Promise<void>;
}

/** Takes e-mail on a port of 127.0.0.1 (SMTP, RFC 5321); one message is caught once, however often it is sent. */
export async function catchMail(port = 0): Promise<MailCatcher> {
  const state = new SystemState('E-mail', ['none', 'away', 'refuses']);
  const caught: Caught[] = [];
  const server = new SMTPServer({
    disabledCommands: ['AUTH', 'STARTTLS'],
    logger: false,
    closeTimeout: 200,
    onConnect(_, done) {
      done(state.switches.trouble === 'away' ? reply(421, 'The post is closed.') : null);
    },
    onRcptTo(_, __, done) {
      done(state.switches.trouble === 'refuses' ? reply(550, 'Nobody lives here.') : null);
    },
    onData(stream, session, done) {
      const to = session.envelope.rcptTo.map(({ address }) => address);
      simpleParser(stream).then(
        ({ from, subject = '', text = '', messageId = '' }) => {
          if (!caught.some(({ id }) => id !== '' && id === messageId)) {
            caught.unshift({ to, from: from?.text ?? '', subject, text, id: messageId });
          }
          done();
        },
        (error: Error) => done(error),
      );
    },
  });
  server.on('error', () => undefined);
  await new Promise<void>((ready) => server.listen(port, '127.0.0.1', ready));
  const { port: own } = server.server.address() as AddressInfo;
  return {
    name: 'mail',
    state,
    address: `smtp://127.0.0.1:${own}`,
    caught,
    shows: () => caught.slice(0, 20).map(lineOf),
    stop: () => new Promise((done) => server.close(done)),
  };
}

function lineOf({ to, subject, text }: Caught): string {
  return `To ${to.join(', ')}: ${subject}. ${text.replace(/\s+/g, ' ')}`;
}

function reply(responseCode: number, words: string): Error {
  return Object.assign(new Error(words), { responseCode });
}
