import { Moon, Sun } from 'lucide-react';
import { useState } from 'react';
import { Button } from '@/ui/Button';
import { currentTheme, setTheme } from './theme';

export function ThemeSwitch() {
  const [theme, show] = useState(currentTheme);
  const other = theme === 'dark' ? 'light' : 'dark';
  const Icon = theme === 'dark' ? Sun : Moon;
  return (
    <Button
      look="bare"
      className="px-1.5"
      aria-label={`Use the ${other} theme`}
      onClick={() => {
        setTheme(other);
        show(other);
      }}
    >
      <Icon size={16} aria-hidden />
    </Button>
  );
}
