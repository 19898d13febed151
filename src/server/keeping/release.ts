import { version } from '../../../package.json';

/** The release of this program. */
export const release: string = version;
