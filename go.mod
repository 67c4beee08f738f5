module almanach

go 1.26

require (
	github.com/stretchr/testify v1.12.1
	github.com/teambition/rrule-go v1.8.2
)

require go.yaml.in/yaml/v3 v3.0.5 // indirect
