package jollyhull.shell;

import android.webkit.ServiceWorkerClient;
import android.webkit.ServiceWorkerController;
import android.webkit.ServiceWorkerWebSettings;

import org.robolectric.annotation.Implementation;
import org.robolectric.annotation.Implements;

/**
 * The engine's service worker controller, which the framework's tests have none of: remembers what
 * it is told.
 */
@Implements(ServiceWorkerController.class)
public class FakeWorkers {
    static Controller last;

    @Implementation
    protected static ServiceWorkerController getInstance() {
        last = new Controller();
        return last;
    }

    static final class Controller extends ServiceWorkerController {
        final Settings settings = new Settings();
        ServiceWorkerClient client;

        @Override
        public ServiceWorkerWebSettings getServiceWorkerWebSettings() {
            return settings;
        }

        @Override
        public void setServiceWorkerClient(ServiceWorkerClient client) {
            this.client = client;
        }
    }

    static final class Settings extends ServiceWorkerWebSettings {
        private int cacheMode;
        private boolean content = true;
        private boolean files = true;
        private boolean blocked;

        @Override
        public void setCacheMode(int mode) {
            cacheMode = mode;
        }

        @Override
        public int getCacheMode() {
            return cacheMode;
        }

        @Override
        public void setAllowContentAccess(boolean allow) {
            content = allow;
        }

        @Override
        public boolean getAllowContentAccess() {
            return content;
        }

        @Override
        public void setAllowFileAccess(boolean allow) {
            files = allow;
        }

        @Override
        public boolean getAllowFileAccess() {
            return files;
        }

        @Override
        public void setBlockNetworkLoads(boolean flag) {
            blocked = flag;
        }

        @Override
        public boolean getBlockNetworkLoads() {
            return blocked;
        }
    }
}
