import { Film } from '@/editor/components/film';

export const dynamic = 'force-dynamic';
export default async function Page({ params }: { params: Promise<{ id: string }> }) {
  return <Film groomId={(await params).id} />;
}
