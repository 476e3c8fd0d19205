import type { APIRoute } from 'astro';
import { asked } from '../../../server/questions';
import { extractQuestion } from '../../../survey/questions';
import { askSurvey, refusal } from '../../../survey/service';

export const prerender = false;

/** An extract as a file. Where it holds codes their range goes along in headers. */
export const GET: APIRoute = async ({ url }) => {
  try {
    const { format, ...frame } = asked(extractQuestion, url);
    const { bytes, type, ending, range } = await askSurvey({ kind: 'extract', frame, format });
    const name = `velmarch-${Math.round(frame.east)}-${Math.round(frame.south)}-${frame.spacing}m${ending}`;
    return new Response(bytes, {
      headers: {
        'Content-Type': type,
        'Content-Disposition': `attachment; filename="${name}"`,
        'Cache-Control': 'no-store',
        ...(range ? { 'X-Range-Low': String(range.low), 'X-Range-High': String(range.high) } : {}),
      },
    });
  } catch (error) {
    return refusal(error);
  }
};
