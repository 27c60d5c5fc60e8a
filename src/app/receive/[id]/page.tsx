import { StandIn } from '@/receiver/stand-in';

export const dynamic = 'force-dynamic';
export const metadata = { title: 'Stand-in receiver' };
export default async function Page({ params }: { params: Promise<{ id: string }> }) {
  return <StandIn exportId={(await params).id} />;
}
