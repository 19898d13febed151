import { createTransport, type Transporter } from 'nodemailer';
import { z } from 'zod';
import { fail } from '$lib/core/problems';
import { isMailAddress } from '$lib/core/values/parse';
import { settings } from '../settings';

/** What an e-mail says, as it waits in the outbox. */
export const mailBody = z.object({ subject: z.string(), text: z.string() });

interface Message {
  /** One recipient. */
  address: string;
  body: z.infer<typeof mailBody>;
  /** The message's own: the same with every try, so that its recipient can see that it is one. */
  idempotency_key: string;
  /** Milliseconds. */
  limit: number;
}

/**
 * Sends an e-mail over the mail server of the settings (SMTP, RFC 5321). Fails with `mail_none`, `not_email`,
 * `mail_refused` (for good: a reply 5xx) or `mail_away`.
 */
export async function sendMail(message: Message): Promise<void> {
  const { address, body, idempotency_key: key, limit } = message;
  const { UNISOR_MAIL_URL: url, UNISOR_MAIL_FROM: from } = settings();
  if (!isMailAddress(address)) fail('mail_person_missing', { given: address });
  if (url === '') fail('mail_none', {}, 503);
  try {
    await transport(url, limit).sendMail({
      from,
      // As an object it is one address, whatever is in it.
      to: { name: '', address },
      subject: body.subject,
      text: body.text,
      messageId: `<${key}@unisor>`,
      headers: { 'Auto-Submitted': 'auto-generated' },
      disableFileAccess: true,
      disableUrlAccess: true,
    });
  } catch (error) {
    const { responseCode = 0, response, code } = error as Refusal;
    const reason = response ?? code ?? 'no answer';
    fail(responseCode >= 500 ? 'mail_refused' : 'mail_away', { reason }, 502);
  }
}

interface Refusal {
  responseCode?: number;
  response?: string;
  code?: string;
}

let open: { url: string; transporter: Transporter } | null = null;

/** The connections to the mail server, kept between messages. */
function transport(url: string, limit: number): Transporter {
  if (open?.url !== url) {
    closeMail();
    const within = { connectionTimeout: limit, greetingTimeout: limit, socketTimeout: limit };
    const { hostname, port, protocol, username, password } = new URL(url);
    const auth =
      username === ''
        ? {}
        : { auth: { user: decodeURIComponent(username), pass: decodeURIComponent(password) } };
    const secure = protocol === 'smtps:';
    const at = { host: hostname, port: Number(port) || (secure ? 465 : 587), secure };
    open = { url, transporter: createTransport({ ...at, ...auth, ...within, pool: true }) };
  }
  return open.transporter;
}

/** Closes the connections to the mail server. */
export function closeMail(): void {
  open?.transporter.close();
  open = null;
}
