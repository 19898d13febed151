// How the dependency checker finds what `$lib` stands for.
import path from 'node:path';
import { root } from './install.mjs';

export default { resolve: { alias: { $lib: path.join(root, 'src') } } };
