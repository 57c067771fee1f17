#!/bin/sh
# Lines of code, lines of tests, and their ratio. Generated code does not count;
# scripts that are sessions of the command line are tests.
files() { git ls-files '*.go' '*.ts' '*.tsx' '*.css' '*.txtar' | grep -v 'gen\.ts$'; }
tests='(_test\.go|\.test\.tsx?)$|^e2e/'
code=$(files | grep -vE "$tests" | xargs cat | wc -l)
test=$(files | grep -E "$tests" | xargs cat | wc -l)
echo "code $code, tests $test, ratio $((100 * test / code)) %"
