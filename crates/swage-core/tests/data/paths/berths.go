package a

func a() int {
	mu.Lock() // open
	if x {
		return 1
	}
	mu.Unlock()
	return 2
}
func b() int {
	mu.Lock()
	defer mu.Unlock()
	if x {
		return 1
	}
	return 2
}
func c() {
	for {
		mu.Lock()
		if x {
			mu.Unlock()
			continue
		}
		mu.Unlock()
	}
}
func d() {
	mu.Lock() // open
	switch x {
	case 1:
		mu.Unlock()
		return
	case 2:
		return
	default:
	}
	mu.Unlock()
}
func e() {
	mu.Lock()
	if x {
		panic("no")
	}
	mu.Unlock()
}
func f() {
	mu.Lock()
	if x {
		mu.Unlock()
		return
	} else if y {
		mu.Unlock()
		return
	}
	mu.Unlock()
}
func g() {
	for {
		mu.Lock() // open
		if x {
			break
		}
		mu.Unlock()
	}
}
