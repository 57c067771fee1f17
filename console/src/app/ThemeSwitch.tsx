import { Moon, Sun } from 'lucide-react';
import { setTheme, useTheme } from '@/lib/theme';
import { Button } from '@/ui/Button';

export function ThemeSwitch() {
  const theme = useTheme();
  const other = theme === 'dark' ? 'light' : 'dark';
  const Icon = theme === 'dark' ? Sun : Moon;
  return (
    <Button
      look="bare"
      className="px-1.5"
      aria-label={`Use the ${other} theme`}
      onClick={() => setTheme(other)}
    >
      <Icon size={16} aria-hidden />
    </Button>
  );
}
