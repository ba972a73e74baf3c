package labtext

import (
	"fmt"
	"slices"
	"strings"
)

// Spread writes the same statement into several blocks: targets are routers
// ("viaduct") and ports ("viaduct.e1"). A statement that may be once only
// takes the place of the one that is there. The statement may have lines below it;
// where it belongs into a block within the target ("cost 20" into the port's
// ospf), it is written there.
func Spread(text string, targets []string, statement string) (string, error) {
	statement = strings.TrimRight(statement, " \n")
	words := strings.Fields(statement)
	if len(words) == 0 {
		return "", fmt.Errorf("write the statement that all of them are to get")
	}
	if len(targets) == 0 {
		return "", fmt.Errorf("choose the routers or ports that are to get it")
	}
	for _, target := range targets {
		var err error
		if text, err = spreadTo(text, target, words[0], statement); err != nil {
			return "", err
		}
	}
	return text, nil
}

func spreadTo(text, target, word, statement string) (string, error) {
	root, _ := parse(text)
	n := targetNode(root, target)
	if n == nil {
		return "", fmt.Errorf("there is no router or port named %s", target)
	}
	owner, row := takes(n, word)
	if row == nil {
		return "", fmt.Errorf("%s does not belong in %s; known there: %s", word, target, strings.Join(wordsIn(n), ", "))
	}
	lines := strings.Split(text, "\n")
	indent := strings.Repeat(" ", indentOf(lines[owner.Word.Line-1])+2)
	at := lastLine(owner)
	if !row.Many {
		for _, c := range owner.Children {
			if c.Row != row {
				continue
			}
			if c.Word.Line != owner.Word.Line {
				indent = strings.Repeat(" ", indentOf(lines[c.Word.Line-1]))
				last := lastLine(c)
				lines = slices.Delete(lines, c.Word.Line-1, last)
				at = c.Word.Line - 1
				break
			}
			// On the line of its owner: its words give way.
			r := []rune(lines[c.Word.Line-1])
			end := c.Word.end()
			for _, a := range c.Args {
				end = a.end()
			}
			if len(c.Children) == 0 {
				left := strings.TrimRight(string(r[:c.Word.Column-1]), " ")
				lines[c.Word.Line-1] = left + string(r[end-1:])
			}
			break
		}
	}
	var block []string
	for s := range strings.SplitSeq(statement, "\n") {
		block = append(block, indent+s)
	}
	return strings.Join(slices.Insert(lines, at, block...), "\n"), nil
}

// targetNode finds a router, a host or a port of the tree.
func targetNode(root *Node, target string) *Node {
	device, port, dotted := strings.Cut(target, ".")
	for _, n := range root.Children {
		if (n.Word.Text != "router" && n.Word.Text != "host") || n.Args[0].Text != device {
			continue
		}
		if !dotted {
			return n
		}
		for _, c := range n.Children {
			if (c.Word.Text == "port" || c.Word.Text == "loopback") && c.Args[0].Text == port {
				return c
			}
		}
	}
	return nil
}

// takes is the statement, n or one within it, that a word may be in.
func takes(n *Node, word string) (*Node, *Row) {
	if row := rowFor(word, n.Row.Opens); row != nil {
		return n, row
	}
	for _, c := range n.Children {
		if c.Row.Opens != "" {
			if owner, row := takes(c, word); row != nil {
				return owner, row
			}
		}
	}
	return nil, nil
}

func wordsIn(n *Node) []string {
	var out []string
	for _, r := range rowsIn(n.Row.Opens) {
		out = append(out, r.Word)
	}
	return out
}

func indentOf(s string) int { return len(s) - len(strings.TrimLeft(s, " ")) }

// lastLine is the last line of a statement and all that belongs to it.
func lastLine(n *Node) int {
	last := n.Word.Line
	for _, c := range n.Children {
		last = max(last, lastLine(c))
	}
	return last
}
