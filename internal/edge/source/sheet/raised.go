package sheet

import "strings"

var raised = strings.NewReplacer("0", "⁰", "1", "¹", "2", "²", "3", "³", "4", "⁴", "5", "⁵", "6", "⁶", "7", "⁷", "8", "⁸", "9", "⁹")

// Raised gives a text that a file shows above the line: its digits do not become part of the
// number that they stand behind, as that of a footnote in "Berth 2¹".
func Raised(text string) string { return raised.Replace(text) }
