package main

import (
	"archive/zip"
	"fmt"
	"os"
	"os/exec"
	"path/filepath"
	"strconv"
	"strings"
	"syscall"
	"time"

	"github.com/rogpeppe/go-internal/testscript"
)

// bombs DIR writes small files that unpack to more than any machine has.
func bombs(ts *testscript.TestScript, _ bool, args []string) {
	dir := ts.MkAbs(args[0])
	ts.Check(os.MkdirAll(dir, 0o755))
	zipped := func(name string, parts ...string) {
		f, err := os.Create(filepath.Join(dir, name))
		ts.Check(err)
		z := zip.NewWriter(f)
		for i := 0; i < len(parts); i += 2 {
			w, err := z.Create(parts[i])
			ts.Check(err)
			_, err = w.Write([]byte(parts[i+1]))
			ts.Check(err)
		}
		ts.Check(z.Close())
		ts.Check(f.Close())
	}
	cell := func(text string, times int) string {
		return fmt.Sprintf(`<table:table-cell office:value-type="string" table:number-columns-repeated="%d"><text:p>%s</text:p></table:table-cell>`, times, text)
	}
	header := ""
	for i := range 100 {
		header += cell("Column "+strconv.Itoa(i), 1)
	}
	zipped("rows.ods", "mimetype", "application/vnd.oasis.opendocument.spreadsheet", "content.xml",
		`<office:document-content xmlns:office="o" xmlns:table="t" xmlns:text="x"><office:body><office:spreadsheet><table:table table:name="S"><table:table-row>`+header+`</table:table-row><table:table-row table:number-rows-repeated="1000000">`+cell("a", 100)+`</table:table-row></table:table></office:spreadsheet></office:body></office:document-content>`)
	workbook := func(name, sheet, shared string) {
		zipped(name, "xl/workbook.xml", `<workbook xmlns:r="r"><sheets><sheet name="S" r:id="r1"/></sheets></workbook>`, "xl/_rels/workbook.xml.rels", `<Relationships><Relationship Id="r1" Target="s.xml"/><Relationship Id="r2" Target="sharedStrings.xml"/></Relationships>`, "xl/s.xml", sheet, "xl/sharedStrings.xml", shared)
	}
	first := `<row r="1"><c r="A1" t="inlineStr"><is><t>No</t></is></c><c r="B1" t="inlineStr"><is><t>Name</t></is></c></row>`
	workbook("shared.xlsx", `<worksheet><sheetData>`+first+`</sheetData></worksheet>`, "<sst>"+strings.Repeat("<si><t/></si>", 12_000_000)+"</sst>")
	var wide strings.Builder
	for i := 2; i < 50_000; i++ {
		fmt.Fprintf(&wide, `<row r="%d"><c r="XFD%d"><v>1</v></c></row>`, i, i)
	}
	workbook("wide.xlsx", `<worksheet><sheetData>`+first+wide.String()+`</sheetData></worksheet>`, "<sst/>")
	for name, text := range map[string]string{
		"nested.html": "<html>" + strings.Repeat("<table><tr><td>", 6000), "many.html": "<html>" + strings.Repeat("<table><tr><td>a<td>b</table>", 6000),
		"span.html": "<html><table><tr><td>No<td>Name" + strings.Repeat("<tr><td rowspan=100000>a<td rowspan=100000>b", 5000) + "</table>",
		"flow.yaml": strings.Repeat("[", 100_000), "dashes.yaml": strings.Repeat("- ", 50_000), "large.yaml": strings.Repeat("# comment\n", 200_000),
	} {
		ts.Check(os.WriteFile(filepath.Join(dir, name), []byte(text), 0o600))
	}
}

// interrupted CODE ARGS… starts the program, interrupts it after a moment, and
// wants it to end with CODE within a second.
func interrupted(ts *testscript.TestScript, _ bool, args []string) {
	self, err := os.Executable()
	ts.Check(err)
	c := exec.Command(self, args[1:]...)
	c.Args[0] = "almanach"
	c.Dir = ts.MkAbs(".")
	c.Env = append(os.Environ(), "TZ=Europe/Lisbon")
	in, err := c.StdinPipe() // never closed: the program waits for it
	ts.Check(err)
	defer in.Close()
	var said strings.Builder
	c.Stdout, c.Stderr = &said, &said
	ts.Check(c.Start())
	time.Sleep(300 * time.Millisecond)
	ts.Check(c.Process.Signal(syscall.SIGINT))
	began := time.Now()
	err = c.Wait()
	code := 0
	if exit, ok := err.(*exec.ExitError); ok {
		code = exit.ExitCode()
	}
	if took := time.Since(began); took > time.Second {
		ts.Fatalf("it took %v to end", took)
	}
	if want, _ := strconv.Atoi(args[0]); code != want {
		ts.Fatalf("exit code %d, want %d:\n%s", code, want, said.String())
	}
	ts.Check(os.WriteFile(ts.MkAbs("said.txt"), []byte(said.String()), 0o600))
}
