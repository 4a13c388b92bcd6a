import { Parser } from 'htmlparser2';

/** The text that HTML shows, with pictures as their descriptions; scripts, styles and comments show nothing. */
export function textOfHtml(html: string): string {
  let text = '';
  let hidden = 0;
  const parser = new Parser({
    onopentag: (name, { alt }) => {
      if (isHidden(name)) hidden++;
      else if (name === 'img') text += `[picture: ${alt ?? ''}]`;
    },
    onclosetag: (name) => {
      if (isHidden(name)) hidden--;
    },
    ontext: (piece) => {
      if (hidden === 0) text += piece;
    },
  });
  parser.end(html);
  return text;
}

/** The addresses of the pictures in HTML. */
export function picturesOfHtml(html: string): string[] {
  const found: string[] = [];
  const parser = new Parser({
    onopentag: (name, { src }) => {
      if (name === 'img' && src !== undefined) found.push(src);
    },
  });
  parser.end(html);
  return found;
}

function isHidden(name: string): boolean {
  return name === 'script' || name === 'style' || name === 'template';
}
