import MarkdownIt from 'markdown-it';
import sanitizeHtml from 'sanitize-html';
import { escapeHtml } from '../text/html.ts';
import { maxMarkdownLength } from './markdown.ts';

/** HTML in the text is shown as text, and a picture as its description: a page loads nothing from elsewhere. */
const parser = new MarkdownIt('default', { html: false, linkify: false, typographer: false });
parser.renderer.rules['image'] = (tokens, index) => `<i>${escapeHtml(tokens[index]?.content ?? '')}</i>`;

/** All that may be left of a text by others. */
const allowed: sanitizeHtml.IOptions = {
  allowedTags: [
    ...['h1', 'h2', 'h3', 'h4', 'h5', 'h6', 'p', 'ul', 'ol', 'li', 'blockquote', 'pre', 'code', 'hr', 'br'],
    ...['em', 'strong', 's', 'i', 'a', 'table', 'thead', 'tbody', 'tr', 'th', 'td'],
  ],
  allowedAttributes: { a: ['href', 'rel'], ol: ['start'] },
  allowedSchemes: ['http', 'https'],
  allowProtocolRelative: false,
  disallowedTagsMode: 'discard',
  transformTags: { a: sanitizeHtml.simpleTransform('a', { rel: 'nofollow noreferrer' }) },
};

/**
 * Markdown from outside as HTML for a page: parsed without its HTML, then passed through a sanitiser that knows what may stay.
 * Of a very long text only the first 128 Ki characters are shown.
 */
export function markdownToHtml(text: string): string {
  return sanitizeHtml(parser.render(text.slice(0, maxMarkdownLength)), allowed);
}
