package line.quay;

import java.time.LocalDateTime;

/** Opens and shuts the gate to a berth. */
public class Gate {
    private boolean open;
    private LocalDateTime since;

    public void open() {
        this.open = true;
        this.since = LocalDateTime.now();
    }

    public void shut() throws InterruptedException {
        warn();
        Thread.sleep(3000);
        this.open = false;
    }

    private void warn() {
        Horn.sound(2);
    }
}
