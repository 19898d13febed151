import type { IncomingMessage } from 'node:http';
import type { House } from '$lib/core/table/definition';
import type { CatalogForm } from '$lib/server/catalog/forms';
import type { Asker } from '$lib/server/access/sessions';
import type { Database } from '$lib/server/database/connection';

declare global {
  namespace App {
    interface Locals {
      /** Who asks, as others know them; written into `created_by`, `updated_by` and the journal. */
      person: { name: string };
      /** Who has signed in, or whose program asks; `null` for guests and where nobody needs to be known. */
      asker: Asker | null;
      /** The house as they see it; fails where nobody is known. */
      house: () => Promise<House>;
      /** All forms by title, read once for a request; fails where nobody is known. */
      forms: () => Promise<CatalogForm[]>;
      /** The database from which pages are read that may be a moment old: a replica, where there is one. */
      reads: () => Promise<Database>;
      /** Names one request in the log. */
      requestId: string;
    }
    interface Platform {
      /** The request as Node has it; not while the product is developed. */
      req: IncomingMessage;
    }
    interface Error {
      message: string;
      hint?: string;
    }
  }
}
