package settings

// SecretPlace says where a password or a token is, which never stands in a file of
// settings. One of its fields is set, or none where there is no secret.
type SecretPlace struct {
	Env     string // a variable of the environment
	File    string // a file that holds nothing else
	Command string // a command of the shell that writes it
	Keyring string // the name of a service in the system's keyring
}

// Secret defines a group that says where a secret is. The first of its examples is a
// variable, then come a file, a command and a name in the keyring.
func Secret(name, doc string, examples [4]string) Setting {
	return Setting{Name: name, Kind: Group, Doc: doc, Fields: []Setting{
		{Name: "env", Doc: "A variable of the environment.", Example: examples[0]},
		{Name: "file", Doc: "A file, relative to the desk.", Example: examples[1]},
		{Name: "command", Doc: "A command that writes it.", Example: examples[2]},
		{Name: "keyring", Doc: "The system's keyring: the name of the service that it stands under, for this user.", Example: examples[3]},
	}}
}

// Secret gives where the secret of a name is. Its file is as it is written, relative
// to the desk.
func (v *Value) Secret(name string) SecretPlace {
	return SecretPlace{v.Text(name + ".env"), v.Text(name + ".file"), v.Text(name + ".command"), v.Text(name + ".keyring")}
}
