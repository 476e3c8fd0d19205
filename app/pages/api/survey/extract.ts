import type { APIRoute } from 'astro';
import { z } from 'zod';
import { asked, EXTRACT_FORMATS, extractOf, fileOf, frameSchema, refusal } from '../../../survey/service';

export const prerender = false;

const schema = frameSchema.extend({ format: z.enum(EXTRACT_FORMATS).default('tiff') });

/** An extract as a file. Where it holds codes their range goes along in headers. */
export const GET: APIRoute = async ({ url }) => {
  try {
    const question = asked(schema, url);
    const { bytes, type, ending, range } = await fileOf(await extractOf(question), question.format);
    const name = `velmarch-${Math.round(question.east)}-${Math.round(question.south)}-${question.spacing}m${ending}`;
    return new Response(bytes, {
      headers: {
        'Content-Type': type,
        'Content-Disposition': `attachment; filename="${name}"`,
        ...(range ? { 'X-Range-Low': String(range.low), 'X-Range-High': String(range.high) } : {}),
      },
    });
  } catch (error) {
    return refusal(error);
  }
};
