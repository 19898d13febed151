// What a command is told by its flags.
import { parseArgs } from 'node:util';
import { stop } from './install.mjs';

/** Reads flags as `parseArgs` knows them; tells the usage where it is asked for, and where one is not known. */
export function readOptions(usage, options) {
  let values;
  try {
    const help = { type: 'boolean', default: false };
    ({ values } = parseArgs({ options: { ...options, help } }));
  } catch (error) {
    return stop(`${error.message}\n\n${usage}`);
  }
  if (!values.help) return values;
  console.log(usage);
  return process.exit(0);
}
