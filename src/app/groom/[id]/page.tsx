import { Workshop } from '@/editor/components/workshop';

export const dynamic = 'force-dynamic';
export default async function Page({ params }: { params: Promise<{ id: string }> }) {
  return <Workshop groomId={(await params).id} />;
}
