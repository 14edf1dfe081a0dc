package jollyhull.shell;

import android.app.Service;
import android.content.Intent;
import android.os.Binder;
import android.os.IBinder;
import android.os.Parcel;
import android.os.RemoteException;

/**
 * Says whether a payment can be made (Payment Request API, canMakePayment, as browsers ask apps: a
 * service for the action IS_READY_TO_PAY).
 */
public class PayService extends Service {
    static final String INTERFACE = "org.chromium.IsReadyToPayService";
    static final String CALLBACK = "org.chromium.IsReadyToPayServiceCallback";

    Till till() {
        return StoreTill.open(ShellSettings.of(this));
    }

    @Override
    public IBinder onBind(Intent intent) {
        return new Binder() {
            @Override
            protected boolean onTransact(int code, Parcel data, Parcel reply, int flags)
                    throws RemoteException {
                if (code == INTERFACE_TRANSACTION) {
                    reply.writeString(INTERFACE);
                    return true;
                }
                if (code != FIRST_CALL_TRANSACTION) {
                    return super.onTransact(code, data, reply, flags);
                }
                data.enforceInterface(INTERFACE);
                IBinder callback = data.readStrongBinder();
                boolean known = TrustedBrowser.isCaller(PayService.this, Binder.getCallingUid());
                answer(callback, known && till().isOpen());
                return true;
            }
        };
    }

    private static void answer(IBinder callback, boolean ready) throws RemoteException {
        if (callback == null) {
            return;
        }
        Parcel data = Parcel.obtain();
        try {
            data.writeInterfaceToken(CALLBACK);
            data.writeInt(ready ? 1 : 0);
            callback.transact(IBinder.FIRST_CALL_TRANSACTION, data, null, IBinder.FLAG_ONEWAY);
        } finally {
            data.recycle();
        }
    }
}
