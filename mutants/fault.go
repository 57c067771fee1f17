package main

import (
	"bytes"
	"fmt"
	"go/ast"
	"go/parser"
	"go/printer"
	"go/token"
	"os"
	"path/filepath"
	"slices"
	"strings"
)

// fault is one file of a package with one small thing in it wrong.
type fault struct {
	file string
	line int
	what string // "< became <=", "return nil was dropped"
	text []byte // of the faulty file
}

func (f fault) String() string {
	return fmt.Sprintf("%s:%d: %s", filepath.Base(f.file), f.line, f.what)
}

// swapped is what stands instead of an operator.
var swapped = map[token.Token]token.Token{
	token.LSS: token.LEQ, token.LEQ: token.LSS, token.GTR: token.GEQ, token.GEQ: token.GTR,
	token.EQL: token.NEQ, token.NEQ: token.EQL, token.LAND: token.LOR, token.LOR: token.LAND,
	token.ADD: token.SUB, token.SUB: token.ADD, token.MUL: token.QUO, token.QUO: token.MUL,
}

// faults are all that can be put into the package.
func (p pkg) faults() (all []fault, err error) {
	for _, name := range p.GoFiles {
		file := filepath.Join(p.Dir, name)
		text, err := os.ReadFile(file)
		if err != nil {
			return nil, err
		}
		found, err := faultsIn(file, text)
		if err != nil {
			return nil, err
		}
		all = append(all, found...)
	}
	return all, nil
}

func faultsIn(file string, text []byte) (all []fault, err error) {
	files := token.NewFileSet()
	parsed, err := parser.ParseFile(files, file, text, parser.SkipObjectResolution)
	if err != nil {
		return nil, err
	}
	replace := func(from, to token.Pos, with, what string) {
		start, end := files.Position(from), files.Position(to)
		all = append(all, fault{file, start.Line, what, slices.Concat(text[:start.Offset], []byte(with), text[end.Offset:])})
	}
	ast.Inspect(parsed, func(n ast.Node) bool {
		switch n := n.(type) {
		case *ast.GenDecl: // limits, of which one more or less is nothing to test
			return n.Tok != token.CONST
		case *ast.BinaryExpr:
			if other, ok := swapped[n.Op]; ok {
				replace(n.OpPos, n.OpPos+token.Pos(len(n.Op.String())), other.String(), n.Op.String()+" became "+other.String())
			}
		case *ast.IfStmt:
			replace(n.Cond.Pos(), n.Cond.End(), "!("+string(text[files.Position(n.Cond.Pos()).Offset:files.Position(n.Cond.End()).Offset])+")", "a condition was turned around")
		case *ast.BlockStmt:
			for _, s := range n.List {
				if droppable(s) {
					replace(s.Pos(), s.End(), "", "dropped: "+oneLine(files, s))
				}
			}
		case *ast.BasicLit:
			if n.Kind == token.INT {
				replace(n.Pos(), n.End(), n.Value+"+1", n.Value+" became one more")
			}
		}
		return true
	})
	return all, nil
}

// droppable reports whether a program can do without a statement and still build.
func droppable(s ast.Stmt) bool {
	switch s := s.(type) {
	case *ast.ExprStmt, *ast.IncDecStmt, *ast.SendStmt, *ast.DeferStmt:
		return true
	case *ast.AssignStmt:
		return s.Tok != token.DEFINE
	case *ast.BranchStmt:
		return s.Tok == token.CONTINUE || s.Tok == token.BREAK
	}
	return false
}

func oneLine(files *token.FileSet, n ast.Node) string {
	var b bytes.Buffer
	_ = printer.Fprint(&b, files, n) // into memory
	line, _, _ := strings.Cut(b.String(), "\n")
	return line
}
