module git.fenmarsh.example/tides/packages/bells

go 1.19
