import { settings } from './settings';
import pino from 'pino';

/** The structured log of the server; `UNISOR_LOG` sets its level. */
export const log = pino({ name: 'unisor', level: settings().UNISOR_LOG });
