// Has a thread read sources as they are written, whatever process it belongs to: `--import tsx` by itself does that in
// threads of plain Node only.
import { register } from 'tsx/esm/api';

register();
