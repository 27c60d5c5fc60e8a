/** Content-security policy for pages: only our own scripts, by a number made for each answer. */
import { NextResponse, type NextRequest } from 'next/server';

/** Pages that our own pages open in a frame, to work beside them. */
const ASIDE = '/aside/';

export function proxy(request: NextRequest): NextResponse {
  const nonce = btoa(String.fromCharCode(...crypto.getRandomValues(new Uint8Array(16))));
  const policy = [
    "default-src 'self'", `script-src 'self' 'nonce-${nonce}' 'strict-dynamic' 'wasm-unsafe-eval'`, "style-src 'self' 'unsafe-inline'", "img-src 'self' blob: data:", "font-src 'self'",
    "connect-src 'self' blob:", "worker-src 'self' blob:", "object-src 'none'", "base-uri 'none'", "form-action 'self'", `frame-ancestors ${request.nextUrl.pathname.startsWith(ASIDE) ? "'self'" : "'none'"}`,
  ].join('; ');
  const headers = new Headers(request.headers);
  headers.set('x-nonce', nonce);
  headers.set('content-security-policy', policy);
  const response = NextResponse.next({ request: { headers } });
  response.headers.set('content-security-policy', policy);
  return response;
}

// the API has no pages, and its bodies must not be read here
export const config = { matcher: ['/((?!api|_next/static|_next/image|icon.svg).*)'] };
