import { Upload } from 'lucide-react';
import { Button } from '@/ui/Button';

interface Props {
  onPress(): void;
  words?: string;
  look?: 'main' | 'plain';
}

export function ImportControl({ onPress, words = 'Import a contract', look = 'main' }: Props) {
  return (
    <Button look={look} onClick={onPress}>
      <Upload size={14} aria-hidden />
      {words}
    </Button>
  );
}
