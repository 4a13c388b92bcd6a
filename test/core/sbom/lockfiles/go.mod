module tides.example/m

go 1.19

require store.example/tide v1.2.0

require cache.example/deep v1.0.1 // indirect
