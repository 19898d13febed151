import { json } from '@sveltejs/kit';
import { planJsonSchema } from '$lib/core/formats/plan-file';

/** The JSON Schema of plan files. */
export const GET = () => json(planJsonSchema());
