import { Aside } from '@/editor/components/aside';

export const dynamic = 'force-dynamic';
export default async function Page({ params }: { params: Promise<{ id: string }> }) {
  return <Aside groomId={(await params).id} />;
}
