import { Entrance } from '@/editor/components/entrance';

export const dynamic = 'force-dynamic';
export default function Page() {
  return <Entrance />;
}
