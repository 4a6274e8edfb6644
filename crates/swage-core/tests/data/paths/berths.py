def a():
    lock.acquire()      # open
    if x:
        return 1
    lock.release()

def b():
    lock.acquire()
    try:
        if x:
            return 1
    finally:
        lock.release()

def c():
    lock.acquire()      # open
    try:
        work()
    except E:
        return 2
    lock.release()

def d():
    lock.acquire()
    if x:
        lock.release()
        return 1
    elif y:
        lock.release()
        raise E
    else:
        go()
    lock.release()

def e():
    for x in y:
        lock.acquire()   # open
        if x:
            continue
        lock.release()

def f():
    lock.acquire()
    while True:
        if a():
            lock.release()
            break

def g():
    try:
        lock.acquire()
        return 1
    finally:
        lock.release()

def h():
    lock.acquire()  # open
    match x:
        case 1:
            lock.release()
        case _:
            return 1

def i():
    lock.acquire()
    if x:
        lock.release()
        return

    def done():
        lock.release()
    later(done)

def j():
    lock.acquire()  # open
